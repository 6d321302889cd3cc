"""Parts that stages share: fields with units, readings, figures."""
