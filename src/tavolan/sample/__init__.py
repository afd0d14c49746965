"""The sample project Kilnary, and the generator that draws its raw screens."""
