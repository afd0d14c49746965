"""Reviews: what to answer first, what people praise and complain about."""
