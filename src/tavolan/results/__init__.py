"""Results: tables of metrics and ranks, and what they say about the listing and its changes."""
