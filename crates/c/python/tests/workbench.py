"""The program, as the tests run it."""

import json
import os
import subprocess

GTRIG = os.environ["GTRIG"]


def replayed(take, rig):
    """What ``gtrig replay`` says of every tick, by the number of the tick."""
    command = [GTRIG, "replay", "--every-tick", "--json", "--rig", rig, take]
    said = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    reports = [json.loads(line) for line in said.splitlines()]
    return {report["tick"]: report for report in reports if "tick" in report}


def replayed_texts(folder, rig, lines):
    """The same of the text of a rig and the lines of a take."""
    paths = folder / "it.take.jsonl", folder / "it.toml"
    for path, text in zip(paths, ["\n".join(lines) + "\n", rig]):
        path.write_text(text)
    return replayed(*paths)
