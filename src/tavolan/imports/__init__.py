"""Take tables of other programs in: names of columns, days and numbers of any spelling, rows merged by key."""
