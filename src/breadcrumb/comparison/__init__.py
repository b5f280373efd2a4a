"""Where two sessions first differ, and what follows from it."""
