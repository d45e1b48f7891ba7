"""Print the API's OpenAPI schema, from which the front end's types are made."""

from __future__ import annotations

import json
import os

import django


def schema_text() -> str:
    """The schema as JSON, in a steady order."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")
    django.setup()
    from .api import api

    return json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    print(schema_text(), end="")
