"""Pieces that panels are made of: theme, painting, labels and boxes; no model behind them."""
