"""The preview video: its storyboard, titles, sound, encoding, checks."""
