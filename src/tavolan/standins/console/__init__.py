"""A stand-in for a store's console: the protocol of docs/console.md on loopback, with a page for people."""
