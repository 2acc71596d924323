# Validates JSON documents against the schemas of docs/schema: validate.py FILE...
import json
import pathlib
import sys

import jsonschema

folder = pathlib.Path(__file__).resolve().parents[2] / "docs" / "schema"
for name in sys.argv[1:]:
    document = json.loads(pathlib.Path(name).read_text())
    schema = json.loads((folder / (document["command"] + ".json")).read_text())
    for error in jsonschema.Draft202012Validator(schema).iter_errors(document):
        print(f"{name}: {'/'.join(map(str, error.absolute_path))}: {error.message[:200]}")
