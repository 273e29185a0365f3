"""The API under random requests: it answers each, and never with a failure of its own."""

from __future__ import annotations

import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.core.builders import document
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.upgrade import load_shot


def test_no_request_makes_the_server_fail(client: TestClient, context: WorkContext) -> None:
    with transaction(context.engine) as session:
        shot = shots.create(session, load_shot(document())).id
    schema = schemathesis.openapi.from_dict(client.app.openapi())  # type: ignore[attr-defined]
    operations = [o.ok() for o in schema.get_all_operations()]
    assert len(operations) > 20
    seen: set[int] = set()
    for operation in operations:
        if operation.path in ("/api/login", "/api/uploads"):
            continue  # the client cannot encode what it makes up for these; tests of their own send bad files

        @settings(max_examples=12, deadline=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
        @given(case=operation.as_strategy(), real=st.booleans())
        def attack(case: schemathesis.Case, real: bool) -> None:
            if real and "shot_id" in (case.path_parameters or {}) and case.method != "DELETE":
                case.path_parameters["shot_id"] = shot
            request = case.as_transport_kwargs(base_url="http://127.0.0.1")
            answer = client.request(
                request.pop("method"), request.pop("url"), **{k: v for k, v in request.items() if v is not None}
            )
            seen.add(answer.status_code)
            assert answer.status_code < 500, f"{case.method} {case.formatted_path}: {answer.text[:300]}"

        attack()
    assert seen & {200} and seen & {404} and seen & {422}
    assert client.get(f"/api/shots/{shot}").status_code == 200
