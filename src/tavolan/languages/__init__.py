"""Facts about languages and scripts, each in one place: locale tags, and tables that tell how a script behaves."""
