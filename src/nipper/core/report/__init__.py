"""What is told to people: sentences computed from settings, logs and judgements."""
