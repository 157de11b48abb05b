"""Prints the forms that the server describes, for the front end's unit tests."""

import json
import sys

from pydantic import TypeAdapter

from kavrel.core.forms import FormView, forms

if __name__ == "__main__":
    found = TypeAdapter(tuple[FormView, ...]).dump_python(forms(), mode="json")
    sys.stdout.write(json.dumps(found, separators=(",", ":")) + "\n")
