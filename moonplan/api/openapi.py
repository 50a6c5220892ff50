"""Print the API's OpenAPI document, from which the front end's types are made: python -m moonplan.api.openapi"""

import json
import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moonplan.site.settings.house")


def main() -> None:
    django.setup()
    from moonplan.api.routes import api

    print(json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1, default=str))


if __name__ == "__main__":
    main()
