"""Record: logs in, every full charge an entry."""
