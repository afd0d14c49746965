"""The project model: load and validate a project, find and change its texts."""
