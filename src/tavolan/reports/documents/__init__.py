"""All JSON documents that commands print: how each is built, and its shape."""
