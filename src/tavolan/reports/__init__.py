"""Reports: tables for the terminal, pages, files for other programs."""
