from tests.app.conftest import client, context, database, server, settings  # noqa: F401
