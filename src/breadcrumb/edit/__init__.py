"""Sessions that are made of others, without copying what stays."""
