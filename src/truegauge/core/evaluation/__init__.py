"""Evaluation: a pure function of plan, part and sample."""
