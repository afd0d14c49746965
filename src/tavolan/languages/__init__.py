"""Facts about languages and scripts, each in one place: locale tags, and tables of how a script behaves."""
