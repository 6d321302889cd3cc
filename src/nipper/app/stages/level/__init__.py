"""Level: whether the balancer catches up."""
