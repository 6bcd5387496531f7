"""The benches: what each stage works on, one module a stage."""
