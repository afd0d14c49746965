"""Hand-over to a store's console: the protocol's client, a three-way comparison, pulling, pushing, receipts."""
