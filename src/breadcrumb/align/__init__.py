"""Which frames and lifetimes of two sessions belong together."""
