"""A session against several good ones: what it does that none of them did."""
