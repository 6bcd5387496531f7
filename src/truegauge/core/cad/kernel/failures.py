"""What the CAD kernel throws: its exceptions have no common base."""

from OCP import Standard, StdFail

KERNEL_FAILURES: tuple[type[Exception], ...] = tuple(
    found
    for module in (Standard, StdFail)
    for found in vars(module).values()
    if isinstance(found, type) and issubclass(found, Exception)
)
