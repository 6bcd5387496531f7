"""The plan document, its commands, and its evaluation."""
