"""Exchange with other tools: spreadsheets."""
