"""The I++ DME text protocol: a client program asks a machine to move and measure over a TCP connection."""
