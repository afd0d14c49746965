"""Small simulated services that ship with the tool: for trying things out, and for tests of the client's manners."""
