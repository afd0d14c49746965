"""What to do next: the few actions that are worth most for the minutes that they take."""
