"""CAD files by the CAD kernel, inside the reader process: CAD file in, NumPy archive out."""

import sys
from pathlib import Path


def convert(source: Path, out: Path) -> int:
    """Read ``source``, write ``out``; 0, or 3 with a message for the user on standard error."""
    from truegauge.core.blades.corresponding import corresponding
    from truegauge.core.cad.kernel.documents import document_of_shape, read_document
    from truegauge.core.cad.kernel.lofts import loft_of
    from truegauge.core.cad.kernel.shapes import model_from_document
    from truegauge.core.errors import TrueGaugeError
    from truegauge.formats.cad_arrays import model_to_bytes
    from truegauge.formats.part_kinds import CAD_KINDS, part_key
    from truegauge.formats.sections_csv import sections_from_csv

    try:
        kind = CAD_KINDS.get(source.suffix.lower())
        if kind is None:  # a table of sections
            sections = sections_from_csv(source, source.read_bytes())
            document = document_of_shape(loft_of(corresponding(sections)), source.stem)
        else:
            document = read_document(str(source), kind)
        model = model_from_document(document, part_key(source.read_bytes()), source.stem)
    except TrueGaugeError as error:
        sys.stderr.write(f"\n{error}\n")
        return 3
    except MemoryError:
        sys.stderr.write("\nthe part needs more memory than allowed; export it without detail\n")
        return 3
    out.write_bytes(model_to_bytes(model))
    return 0
