"""What an evaluation works out once and shares: the cloud, alignments, features, datum systems, zones, readings."""
