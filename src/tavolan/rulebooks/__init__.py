"""The shipped rulebooks (data/*.toml) and their loader."""
