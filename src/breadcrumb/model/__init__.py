"""What a trace is: its clock, lives, events and columns, as NumPy arrays. No files, no signals."""
