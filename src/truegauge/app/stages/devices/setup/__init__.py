"""Setting up portable devices: reference points, devices joined and joined again, checks and when they are due."""
