"""Damaged and hostile job files: each opens or gives a sentence, soon, and none is changed by a failed attempt."""

import json
import os
import random
import shutil
import sqlite3
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from campaign.made import job_file
from campaign.photos import mutated
from peel.errors import PeelError
from peel.work.session.recovery import open_job

__all__ = ["HOSTILE", "run"]

MUTATIONS = 1300


def _sql(*statements: str) -> Callable[[Path], None]:
    def change(path: Path) -> None:
        sql = sqlite3.connect(path)
        for statement in statements:
            sql.execute(statement)
        sql.commit()
        sql.close()

    return change


def _plane(change: Callable[[dict[str, object]], object]) -> Callable[[Path], None]:
    """Change the record of one plane that the last state names."""

    def apply(path: Path) -> None:
        sql = sqlite3.connect(path)
        names = json.loads(sql.execute("SELECT planes FROM state ORDER BY number DESC").fetchone()[0])
        body = json.loads(sql.execute("SELECT body FROM plane WHERE digest = ?", (names["marks"],)).fetchone()[0])
        change(body)
        sql.execute("UPDATE plane SET body = ? WHERE digest = ?", (json.dumps(body), names["marks"]))
        sql.commit()
        sql.close()

    return apply


_ENDLESS = "WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c) SELECT x"

HOSTILE: dict[str, Callable[[Path], None]] = {
    "a view that never ends": _sql("DROP TABLE note", f"CREATE VIEW note AS {_ENDLESS} AS key, x AS value FROM c"),
    "huge values": _sql(
        "DROP TABLE state",
        "CREATE VIEW state AS SELECT 1 AS number, 'x' AS label, 0 AS time, hex(zeroblob(400000000)) AS settings, "
        "hex(zeroblob(400000000)) AS planes",
    ),
    "a trigger": _sql(f"CREATE TRIGGER t AFTER INSERT ON state BEGIN SELECT count(*) FROM ({_ENDLESS} FROM c); END"),
    "many states": _sql(
        "WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c WHERE x < 60000) "
        "INSERT INTO state (label, time, settings, planes) SELECT 'x', 0, settings, planes FROM c, "
        "(SELECT settings, planes FROM state ORDER BY number DESC LIMIT 1)"
    ),
    "many contours": _sql(
        "UPDATE state SET settings = '" + json.dumps({"contours": [{"nodes": [{"at": [1, 1]}] * 3}] * 20_000}) + "'"
    ),
    "a tile of 70000": _plane(lambda body: body.update(tiles=[70000] * len(body["tiles"]))),  # type: ignore[arg-type]
    "codes that do not exist": _plane(lambda body: body.update(tiles=[200] * len(body["tiles"]))),  # type: ignore[arg-type]
    "no tiles": _plane(lambda body: body.update(tiles=7)),
    "deep JSON": _sql("UPDATE state SET settings = '" + "[" * 90_000 + "', planes = '" + "[" * 90_000 + "'"),
    "a cursor that is no digit": _sql("UPDATE note SET value = '²' WHERE key = 'cursor'"),
    "text for the photo": _sql("UPDATE photo SET content = 'a photo', digest = 'x'"),
    "a name with markup": _sql("UPDATE photo SET name = '<img src=/dev/zero>.png'"),
    "a name with folders and NUL": _sql("UPDATE photo SET name = '../../' || char(0) || 'x.png'"),
    "a place that is no place": _sql(
        "INSERT OR REPLACE INTO note VALUES ('place', '{\"scale\": 1e999, \"centre\": [1, NaN]}')"
    ),
    "settings of another kind": _sql("UPDATE state SET settings = '[1, 2, 3]'"),
}


def run(seed: int) -> list[str]:
    """Open them all; give the figures."""
    rng = random.Random(seed)
    odd: list[str] = []
    opened = refused = 0
    slowest, changed = 0.0, 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["XDG_STATE_HOME"] = str(folder / "state")
        good = job_file(folder).read_bytes()
        path = folder / "odd.peel"
        for number in range(MUTATIONS + len(HOSTILE)):
            path.write_bytes(good)
            what = f"mutation {number}"
            if number < MUTATIONS:
                path.write_bytes(mutated(good, rng, shifts=number % 5 == 0))
            else:
                what, change = list(HOSTILE.items())[number - MUTATIONS]
                change(path)
            before, since = path.read_bytes(), time.monotonic()
            try:
                found = open_job(path)
                found.session.wait_idle(20)
                found.session.close()
                opened += 1
                changed += bool(found.notice) and path.read_bytes() != before
            except PeelError:
                refused += 1
                changed += path.read_bytes() != before
            except BaseException as error:  # noqa: BLE001 - that is what is looked for
                odd.append(f"{what}: {error!r}"[:300])
            slowest = max(slowest, time.monotonic() - since)
            shutil.rmtree(folder / "state", ignore_errors=True)
    lines = [f"BROKEN {line}" for line in odd[:20]]
    lines.append(
        f"{MUTATIONS} mutated and {len(HOSTILE)} hostile jobs: {opened} opened, {refused} refused in a sentence, "
        f"{len(odd)} otherwise"
    )
    lines.append(f"{'BROKEN ' if changed else ''}{changed} damaged originals changed")
    lines.append(f"{'BROKEN ' if slowest > 10 else ''}the slowest took {slowest:.2f} s")
    return lines
