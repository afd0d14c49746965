"""What every layer uses and no layer owns: files, changes that hold as a whole, CSV, XML, TOML lines, programs."""
