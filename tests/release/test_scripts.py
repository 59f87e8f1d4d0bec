"""What the scripts say where something is missing: one sentence that says what to do."""

from __future__ import annotations

import shutil
import subprocess
import sys

import pytest

from tests.conftest import ROOT

TOOLS = ("bash", "cat", "cut", "dirname", "df", "env", "mktemp", "sha256sum", "tail", "tr")


@pytest.fixture
def bare(tmp_path):
    """A path with the plainest tools alone: neither Node nor a package manager, and nobody is root."""
    folder = tmp_path / "bin"
    folder.mkdir()
    for name in TOOLS:
        (folder / name).symlink_to(shutil.which(name))
    (folder / "python3").symlink_to(f"{sys.base_prefix}/bin/python3")
    stub(folder, "id", "echo 1000")
    return folder


def stub(folder, name, line):
    (folder / name).write_text(f"#!/bin/bash\n{line}\n")
    (folder / name).chmod(0o755)


def said(bare, script):
    """The last line on standard error of a script that gives up."""
    command = ["bash", "-c", f". {ROOT}/scripts/setup.sh; {script}"]
    done = subprocess.run(command, env={"PATH": str(bare)}, capture_output=True, text=True, check=False, timeout=60)
    assert done.returncode == 1, done.stderr
    return done.stderr.splitlines()[-1]


def test_a_missing_browser_is_named_with_its_package(bare):
    assert said(bare, "need_debian no-such-browser chromium-headless-shell") == (
        "low hiss: 'no-such-browser' is missing and there is no apt-get to install it: "
        "install the package 'chromium-headless-shell' by hand, then start again."
    )


def test_whoever_is_not_root_is_told_so(bare):
    stub(bare, "apt-get", "exit 0")
    stub(bare, "sleep", "exit 0")
    stub(bare, "rm", "exit 0")
    assert "installing Debian packages needs root: run this as root or install sudo." in said(
        bare, "as_root apt-get update"
    )


def test_a_build_without_node_is_refused(bare):
    assert said(bare, "need_interpreters") == (
        "low hiss: Node.js 20 or newer is needed and 'node' was not found: install it, then start again."
    )


def test_a_full_disk_is_said_before_anything_begins(bare):
    (bare / "df").unlink()
    stub(bare, "df", "printf 'Avail\\n12\\n'")
    assert said(bare, "need_room 1500") == (
        "low hiss: the disk has 12 MB free and this needs 1500: free some space, then start again."
    )


def test_no_contact_to_a_registry_is_said(bare, tmp_path):
    stub(bare, "npm", "echo 'getaddrinfo ENOTFOUND' >&2; exit 1")
    for name in ("sleep", "rm"):
        (bare / name).symlink_to(shutil.which(name))
    assert said(bare, f"ROOT={tmp_path}; digest() {{ echo x; }}; need_web_packages") == (
        "low hiss: the front-end packages could not be installed: check the connection, then start again. "
        "The lines above say why."
    )
