"""Characteristics: what is measured, what is allowed, and the judgement."""
