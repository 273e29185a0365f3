from __future__ import annotations

import socket
from pathlib import Path

import pytest
from launch.__main__ import main

from launch import postgres, start, step


@pytest.fixture(autouse=True)
def own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(step, "LOGS", tmp_path / "log")
    monkeypatch.setattr(step, "STAMPS", tmp_path / "stamps")
    monkeypatch.setattr(step, "ROOT", tmp_path)


def test_a_failed_step_says_which_why_and_what_to_do(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    with pytest.raises(SystemExit):
        step.run("shake the tree", ["sh", "-c", "echo no apples; exit 3"], "wait for autumn", cwd=tmp_path)
    said = capsys.readouterr().err
    assert "shake the tree" in said and "no apples" in said and "wait for autumn" in said
    with pytest.raises(SystemExit):
        step.run("call the cat", ["no-such-program-here"], "get a cat", cwd=tmp_path)
    assert "is not installed" in capsys.readouterr().err


def test_a_step_is_done_again_only_when_its_sources_change(tmp_path: Path) -> None:
    source = tmp_path / "src"
    source.mkdir()
    (source / "a.txt").write_text("one")
    first = step.fingerprint([source], "x")
    assert first == step.fingerprint([source], "x") != step.fingerprint([source], "y")
    assert not step.done_before("page", first)
    step.mark_done("page", first)
    assert step.done_before("page", first)
    (source / "a.txt").write_text("two")
    assert not step.done_before("page", step.fingerprint([source], "x"))


def test_a_port_in_use_is_passed_over_or_named(capsys: pytest.CaptureFixture[str]) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        with pytest.raises(SystemExit):
            start.address_of(port, "127.0.0.1")
        assert str(port) in capsys.readouterr().err
    assert start.address_of(None, "127.0.0.1").port >= start.DEFAULT_PORT
    assert str(start.address_of(None, "::1")).startswith("http://[::1]:")
    assert str(start.Address("0.0.0.0", 8420)) == "http://127.0.0.1:8420"
    assert postgres.free_port() > 0


def test_other_addresses_are_refused_without_a_password(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("TROPEIN_PASSWORD", raising=False)
    assert start.start(["--host", "0.0.0.0"]) == 2
    assert "TROPEIN_PASSWORD" in capsys.readouterr().err


def test_help_names_the_commands(capsys: pytest.CaptureFixture[str]) -> None:
    assert main([]) == 0
    assert "start [--demo]" in capsys.readouterr().out
