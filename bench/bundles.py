"""Statements of three pages as one file, and as a bundle of a file for each, by one process and by two.

Usage: bundles.py RECORDS [tagged]. Prints the seconds of laying out, of writing one file and of the bundles, and their
ratios; one record in a hundred has a name that cannot be computed, and must be the only ones that fail.
"""

import sys
import tempfile
import time
from pathlib import Path

from statements import make, statements_document, statements_report

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.runs.bundle import RecordFiles, make_record_files
from northmoor.core.model.output_options import OutputOptions

_SQL = """\
select shipper, line, goods, pieces, charge,
  case when shipper % 100 = 7 then 'unknown' else cast(shipper as text) end as code
from lines order by shipper, line
"""


def main() -> None:
    """Write them all ways, and tell what it took."""
    records, options = int(sys.argv[1]), OutputOptions(tagged="tagged" in sys.argv[2:])
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        database = make(folder, records)
        began = time.perf_counter()
        document = statements_document(
            database, statements_report(_SQL, file_name="Statement {cast(code as integer); 0}")
        )
        laid_out = time.perf_counter() - began
        began = time.perf_counter()
        document.write(folder / "all.pdf", options=options)
        one = time.perf_counter() - began
        took = []
        for processes in (1, 2):
            files, journals = folder / f"files-{processes}", folder / f"journals-{processes}"
            files.mkdir()
            journals.mkdir()
            began = time.perf_counter()
            wanted = RecordFiles(document, "shipper", ("pdf",), options, "Statement")
            results = make_record_files(wanted, files, journals, processes, CancelToken(), lambda *_: None)
            took.append(time.perf_counter() - began)
            made = [result for result in results if result.state == "made"]
            failed = [result.number % 100 for result in results if result.state == "failed"]
            assert set(failed) == {7}, set(failed)
            assert len(made) + len(failed) == records == len(list(files.glob("*.pdf"))) + len(failed)
    print(f"laid out {laid_out:.2f} s, one file {one:.2f} s, {records:,} files {took[0]:.2f} s, by two {took[1]:.2f} s")
    print(f"bundle : one file, with laying out {(laid_out + took[0]) / (laid_out + one):.2f}")
    whole = [laid_out + each for each in took]
    print(f"two processes : one {took[1] / took[0]:.2f}, with laying out {whole[1] / whole[0]:.2f}")


if __name__ == "__main__":
    main()
