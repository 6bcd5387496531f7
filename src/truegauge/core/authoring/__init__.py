"""What picks, texts and drawings make of a plan."""
