"""What a trace is: its clock, lifetimes, events and columns, as NumPy arrays. No files, no signals."""
