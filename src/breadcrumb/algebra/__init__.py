"""Pure computation on time: signals, moments and spans, with the durations and regions they are measured by."""
