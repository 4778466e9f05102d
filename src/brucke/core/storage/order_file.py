"""A running order as a table that any spreadsheet opens: CSV after RFC 4180, UTF-8, one line of the order a row."""

import csv
import io
import math
from pathlib import Path

from ..document.ranges import LENGTHS, MAX_NAME, RANGES, printable
from ..document.setup import Moment, OrderLine
from ..files.safe_read import ReadProblem, read_bytes
from .small_files import FileProblem

COLUMNS = ("kind", "name", "track", "from_s", "to_s", "moment", "after", "goes_on", "lasts_s", "note")
KINDS = ("song", "talk", "pause")
MAX_BYTES = 2_000_000
YES = ("yes", "true", "1")


def order_text(order: tuple[OrderLine, ...], moments: tuple[Moment, ...]) -> str:
    """The whole table; moments by their names."""
    names = {m.id: m.name for m in moments}
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(COLUMNS)
    for x in order:
        moment, after = names.get(x.moment, x.moment), names.get(x.after, x.after)
        goes_on = "yes" if x.goes_on else ""
        row = (x.kind, x.name, x.file, _number(x.from_s), _number(x.to_s), moment, after, goes_on, _number(x.lasts_s))
        table.writerow((*row, x.note))
    return out.getvalue()


def _number(value: float) -> str:
    return f"{value:g}" if value else ""


def read_order(path: Path, moments: tuple[Moment, ...]) -> tuple[OrderLine, ...]:
    """Errors: FileProblem with the row and the reason. Columns may stand in any order; `kind` has to be there, and what
    is not known is refused, so that nothing is lost unseen."""
    try:
        text = read_bytes(path, MAX_BYTES, "a running order").decode("utf-8-sig")
    except ReadProblem as e:
        raise FileProblem(f"{path.name}: {e}") from None
    except UnicodeDecodeError:
        raise FileProblem(f"{path.name}: the file: not a table in UTF-8") from None
    rows = csv.reader(io.StringIO(text, newline=""), strict=True)
    try:
        return _lines(path, list(rows), moments)
    except csv.Error as e:
        raise FileProblem(f"{path.name}: row {rows.line_num}: {e}") from None


def _lines(path: Path, rows: list[list[str]], moments: tuple[Moment, ...]) -> tuple[OrderLine, ...]:
    head = [cell.strip().lower() for cell in rows[0]] if rows else []
    unknown = [c for c in head if c not in COLUMNS]
    if "kind" not in head or unknown or len(set(head)) != len(head):
        why = f"no column “{printable(unknown[0])}” is known" if unknown else "the first row has to name the columns"
        raise FileProblem(f"{path.name}: row 1: {why}: {', '.join(COLUMNS)}")
    if len(rows) - 1 > LENGTHS["order"]:
        raise FileProblem(f"{path.name}: the file: {len(rows) - 1} lines; {LENGTHS['order']} are the most")
    ids = {m.name.lower(): m.id for m in moments} | {m.id: m.id for m in moments}
    found = []
    for number, row in enumerate(rows[1:], 2):
        if any(cell.strip() for cell in row):
            try:
                found.append(_line(dict(zip(head, (cell.strip() for cell in row), strict=False)), ids))
            except ValueError as e:
                raise FileProblem(f"{path.name}: row {number}: {e}") from None
    return tuple(found)


def _line(cells: dict[str, str], moments: dict[str, str]) -> OrderLine:
    kind = cells.get("kind", "").lower()
    if kind not in KINDS:
        raise ValueError(f"kind: “{printable(cells.get('kind', ''))}” is none of {', '.join(KINDS)}")
    for column in ("name", "note", "track"):
        if len(cells.get(column, "")) > MAX_NAME:
            raise ValueError(f"{column}: longer than {MAX_NAME} characters")
    return OrderLine(
        kind=kind,  # type: ignore[arg-type]
        name=cells.get("name", ""),
        file=cells.get("track", ""),
        from_s=_seconds(cells, "from_s"),
        to_s=_seconds(cells, "to_s"),
        moment=_moment(cells, "moment", moments),
        after=_moment(cells, "after", moments),
        goes_on=cells.get("goes_on", "").lower() in YES,
        lasts_s=_seconds(cells, "lasts_s"),
        note=cells.get("note", ""),
    )


def _seconds(cells: dict[str, str], column: str) -> float:
    text = cells.get(column, "")
    try:
        value = float(text or 0.0)
    except ValueError:
        value = math.nan
    r = RANGES["OrderLine"][column]
    if not r.low <= value <= r.high:
        raise ValueError(f"{column}: “{printable(text)}” is no number of seconds from {r.low:g} to {r.high:g}")
    return value


def _moment(cells: dict[str, str], column: str, moments: dict[str, str]) -> str:
    text = cells.get(column, "")
    if text and text.lower() not in moments:
        raise ValueError(f"{column}: there is no moment “{printable(text)}”")
    return moments.get(text.lower(), "")
