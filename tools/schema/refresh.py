#!/usr/bin/python3
# Writes docs/schema/COMMAND.json, the JSON Schema (draft 2020-12) of each command's --json, from what the tool
# prints for the command lines of tests/golden and tools/schema/more.txt:
#   tools/schema/refresh.py build/release/apps/brace/brace
# What every document has is required; what is not defined is null, but for what always is (ALWAYS); new keys are no
# breach.
import json
import pathlib
import re
import shlex
import subprocess
import sys
import tempfile

root = pathlib.Path(__file__).resolve().parents[2]
tool = pathlib.Path(sys.argv[1]).resolve()


ALWAYS = {"brace", "command", "code", "text", "model", "test", "null", "reading", "status", "result", "series",
          "name", "question", "answer", "p_value_of"}


def type_of(value):
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, (int, float)):
        return "number"
    return {str: "string", list: "array", dict: "object"}[type(value)]


def named_by_numbers(keys):  # {"50": ..., "95": ...}
    return bool(keys) and all(re.fullmatch(r"[0-9.]+%?", k) for k in keys)


def named_by_data(values):  # names of models or columns as keys
    return bool(values) and any(re.search(r"[ /=]", k) for v in values for k in v)


def schema_of(values, name=""):
    if name == "document":  # of a step of a study: by its own command's schema
        return {"type": ["null", "object"]}
    types = {type_of(v) for v in values}
    if name not in ALWAYS and types & {"number", "string", "object"} and name:
        types.add("null")
    types = sorted(types)
    out = {"type": types[0] if len(types) == 1 else types}
    objects = [v for v in values if isinstance(v, dict)]
    if objects:
        keys = sorted({k for v in objects for k in v})
        if named_by_numbers(keys) or named_by_data(objects):
            out["additionalProperties"] = schema_of([v[k] for v in objects for k in v])
        elif keys:
            out["properties"] = {k: schema_of([v[k] for v in objects if k in v], k) for k in keys}
            required = [k for k in keys if all(k in v for v in objects)]
            if required:
                out["required"] = required
    items = [i for v in values if isinstance(v, list) for i in v]
    if items:
        out["items"] = schema_of(items, "item" if type_of(items[0]) == "number" else "")
    return out


folder = tempfile.TemporaryDirectory()
documents = {}
(pathlib.Path(folder.name) / "small.toml").write_text(
    f"[series]\nfile = '{root}/data/lamp-oil.csv'\nreturns = 'log'\n[inspect]\n[fit]\nmodel = 'const ar1'\n"
    "[check]\n[forecast]\nhorizon = 2\n")
for name in ["tests/golden/commands.txt", "tools/schema/more.txt"]:
    for line in (root / name).read_text().splitlines():
        words = shlex.split(line.replace("{folder}", folder.name))
        if not words or words[0].startswith("#"):
            continue
        done = subprocess.run([tool, *words, "--json"], cwd=root, capture_output=True, text=True)
        if done.returncode not in (0, 3):
            sys.exit(f"{line}: {done.stderr}")
        documents.setdefault(words[0], []).append(json.loads(done.stdout))
documents["update"] = documents["fit"]  # a fit that new rows were added to
for command, values in documents.items():
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema",
              "title": f"What brace {command} --json writes"}
    schema.update(schema_of(values))
    schema["properties"]["command"] = {"const": command}
    path = root / "docs" / "schema" / f"{command}.json"
    path.write_text(json.dumps(schema, indent=1, sort_keys=True) + "\n")
    print(path.relative_to(root), len(values), "documents")
