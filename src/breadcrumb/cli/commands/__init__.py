"""What each command takes, and its help; what it does is loaded when it runs."""
