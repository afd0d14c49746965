"""From clips, shots and titles to the pixels of each frame."""
