"""A client of the application, called by a name it answers to."""

from fastapi.testclient import TestClient

from underkettle.server.app import build_app

BASE = "http://127.0.0.1"


def client_of(home, **given):
    """given : what `build_app` takes beside the home."""
    return TestClient(build_app(home, **given), base_url=BASE, raise_server_exceptions=False)
