"""Store pictures: looks, frames, typesetting, painting, encoding. Only this package draws."""
