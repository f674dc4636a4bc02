"""The program, as the tests run it."""

import json
import os
import subprocess

GTRIG = os.environ["GTRIG"]


def reported(command, take, rig, *options):
    """The lines that a command prints of a take."""
    command = [GTRIG, command, "--json", *options, "--rig", rig, take]
    said = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    return [json.loads(line) for line in said.splitlines()]


def written(folder, rig, lines):
    """The text of a rig and the lines of a take, as files."""
    paths = folder / "it.take.jsonl", folder / "it.toml"
    for path, text in zip(paths, ["\n".join(lines) + "\n", rig]):
        path.write_text(text)
    return paths


def replayed(take, rig):
    """What ``gtrig replay`` says of every tick, by the number of the tick."""
    reports = reported("replay", take, rig, "--every-tick")
    return {report["tick"]: report for report in reports if "tick" in report}


def replayed_texts(folder, rig, lines):
    """The same of the text of a rig and the lines of a take."""
    return replayed(*written(folder, rig, lines))


def reports_of_texts(command, folder, rig, lines):
    """What another command says of them."""
    return reported(command, *written(folder, rig, lines))
