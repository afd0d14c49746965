"""The command line: parse, call the core, print."""
