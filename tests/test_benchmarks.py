"""What ./bench says of a busy machine and of an earlier run; what is measured is in tests/orvix/test_benching.py."""

from __future__ import annotations

import json
import sys

import pytest

from benchmarks import __main__ as bench
from benchmarks.comparing import CALIBRATIONS, busy, changes

THEN = {CALIBRATIONS: [50.0, 52.0], "dabs": {"round, ms": 10.0, "Mpx": 4, "took, s": 3.0}, "gone": {"x, ms": 1.0}}


def test_calibrations_that_disagree_are_said():
    assert busy([50.0, 55.0, 59.0]) == ""
    assert "50 to 70 ms" in busy([50.0, 70.0, 51.0])


def test_times_are_compared_by_how_fast_the_machine_was():
    now = {CALIBRATIONS: [100.0, 104.0], "dabs": {"round, ms": 26.0, "Mpx": 5, "new, ms": 3.0, "took, s": 6.0}}
    found = {one.name: one for one in changes(THEN, now)}
    assert set(found) == {"dabs: round, ms", "dabs: Mpx", "dabs: took, s"}
    assert found["dabs: round, ms"].ratio == pytest.approx(1.3)
    assert found["dabs: round, ms"].worse
    assert not found["dabs: took, s"].worse
    assert (found["dabs: Mpx"].ratio, found["dabs: Mpx"].worse) == (None, False)


def test_parts_are_run_by_name_and_written_and_compared(tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(bench, "PARTS", {"one": lambda: {"a, ms": 2.0}, "two": lambda: {"b, ms": 3.0}})
    ticks = iter([50.0, 50.0, 90.0])
    monkeypatch.setattr(bench, "calibration_ms", lambda clock: next(ticks))
    out, then = tmp_path / "now.json", tmp_path / "then.json"
    then.write_text(json.dumps({CALIBRATIONS: [50.0], "two": {"b, ms": 1.0}}))
    monkeypatch.setattr(sys, "argv", ["bench", "--only", "two", "--json", str(out), "--against", str(then)])
    bench.main()
    told = json.loads(out.read_text())
    assert told["two"]["b, ms"] == 3.0
    assert "one" not in told
    said = capsys.readouterr().out
    assert "3.00  slower" in said
    assert "busy" not in said
    ticks = iter([50.0, 90.0])
    monkeypatch.setattr(sys, "argv", ["bench", "--only", "one", "--json", str(out)])
    bench.main()
    assert "The machine was busy" in capsys.readouterr().out


def test_an_earlier_run_that_is_not_there_is_refused_before_anything_is_measured(monkeypatch, capsys):
    monkeypatch.setattr(sys, "argv", ["bench", "--against", "nowhere.json"])
    with pytest.raises(SystemExit):
        bench.main()
    assert "there is no such file" in capsys.readouterr().err
