"""The child process of `formats.step`: STEP file in, NumPy archive out. Run by `formats.guard`."""

import sys
from pathlib import Path


def main() -> int:
    """Read ``argv[1]``, write ``argv[2]``; 0, or 3 with a message for the user on standard error."""
    from truegauge.core.cad.kernel import model_from_shape, read_step_shape
    from truegauge.core.errors import TrueGaugeError
    from truegauge.formats.cad_arrays import model_to_bytes
    from truegauge.formats.step import part_key

    source, out = Path(sys.argv[1]), Path(sys.argv[2])
    try:
        model = model_from_shape(read_step_shape(str(source)), part_key(source.read_bytes()), source.stem)
    except TrueGaugeError as error:
        sys.stderr.write(f"\n{error}\n")
        return 3
    except MemoryError:
        sys.stderr.write("\nthe part needs more memory than allowed; export it without detail\n")
        return 3
    out.write_bytes(model_to_bytes(model))
    return 0


if __name__ == "__main__":
    sys.exit(main())
