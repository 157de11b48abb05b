"""Prints the forms that the server describes, for the front end's unit tests."""

import sys

from kavrel.api.forms import form_list

if __name__ == "__main__":
    sys.stdout.write(form_list().model_dump_json() + "\n")
