"""All figures: drawn into PNG files, with one style."""
