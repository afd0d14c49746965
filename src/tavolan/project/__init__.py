"""The project model: load, validate and find what stands where."""
