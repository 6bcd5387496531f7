"""The only place that talks to the CAD kernel (OpenCASCADE): files in, `CadModel` out.

It holds the interpreter lock and can crash on damaged files, so it is run in a child process (`formats.cad_child`).
"""
