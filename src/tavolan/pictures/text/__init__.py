"""Text in pictures: fonts, line breaks, typesetting, captions."""
