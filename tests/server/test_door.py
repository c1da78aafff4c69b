"""What no request gets past: other hosts and pages, bodies of another kind, text that cannot be
kept, uploads that break their reader, and whoever lacks the token.
"""

import json
import tempfile
import time
import unittest
from pathlib import Path

from fastapi.testclient import TestClient

from tests.server.client import client_of
from tests.server.test_api import LANCE
from underkettle.server.access import TRIES, Access, make_token
from underkettle.server.app import build_app
from underkettle.server.described import described


class Served(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)
        self.client = client_of(self.home)
        self.id = self.client.post("/api/cases", json=LANCE).json()["id"]


class Text(Served):
    def test_half_a_character_is_refused_everywhere_and_nothing_is_lost(self):
        for body in (
            {"patch": {}, "label": "\ud800"},
            {"patch": {"summary": "\udc01"}, "label": "x"},
            {"patch": {"parameters": {"\ud801": "1"}}, "label": "x"},
            {"patch": {"name": "\x1b[2J"}, "label": "x"},
        ):
            answer = self.client.patch(
                f"/api/cases/{self.id}",
                content=json.dumps(body),
                headers={"content-type": "application/json"},
            )
            self.assertEqual(answer.status_code, 422, answer.text)
        for address in ("/api/cases/%ED%A0%80", "/api/matter?text=%ff", "/api/cases/a%00b"):
            self.assertEqual(self.client.get(address).status_code, 422, address)
        self.client.patch(f"/api/cases/{self.id}", json={"patch": {"name": "After"}, "label": "x"})
        again = client_of(self.home)
        self.assertEqual(again.get(f"/api/cases/{self.id}").json()["name"], "After")
        self.assertEqual(len(again.get("/api/cases").json()), 1)

    def test_what_is_no_plain_json_is_refused(self):
        for body in ("[" * 100_000, "{", '{"patch": {"grid": NaN}}', "9" * 6000, '"\\ud800"'):
            answer = self.client.post(
                "/api/cases", content=body, headers={"content-type": "application/json"}
            )
            self.assertEqual(answer.status_code, 422, body[:20])
            self.assertTrue(answer.json()["text"])
        large = json.dumps({"name": "x" * 4_100_000})
        self.assertEqual(
            self.client.post(
                "/api/cases", content=large, headers={"content-type": "application/json"}
            ).status_code,
            413,
        )


class Names(Served):
    def test_only_its_own_names_and_pages(self):
        for host in ("evil.example", "127.0.0.1.evil.example", "", "[::2]"):
            self.assertEqual(
                self.client.get("/api/cases", headers={"host": host}).status_code, 403, host
            )
        for origin in ("http://evil.example", "null", "http://127.0.0.1:8000", "https://localhost"):
            for call in (self.client.get, self.client.delete):
                answer = call(f"/api/cases/{self.id}", headers={"origin": origin})
                self.assertEqual(answer.status_code, 403, origin)
        self.assertEqual(
            self.client.get(
                "/api/cases", headers={"host": "localhost:4173", "origin": "http://localhost:4173"}
            ).status_code,
            200,
        )
        self.assertEqual(
            self.client.get("/api/cases", headers={"sec-fetch-site": "cross-site"}).status_code, 403
        )

    def test_writing_takes_json_only(self):
        body = json.dumps({"patch": {"name": "Forged"}, "label": "x"})
        for kind in ("text/plain", "application/x-www-form-urlencoded", "multipart/form-data", ""):
            answer = self.client.patch(
                f"/api/cases/{self.id}", content=body, headers={"content-type": kind}
            )
            self.assertEqual(answer.status_code, 415, kind)
        self.assertEqual(self.client.get(f"/api/cases/{self.id}").json()["name"], LANCE["name"])

    def test_answers_carry_what_keeps_scripts_and_frames_out(self):
        for address in ("/api/cases", "/", "/api/nothing"):
            headers = self.client.get(address).headers
            self.assertEqual(headers["x-content-type-options"], "nosniff")
            self.assertIn("frame-ancestors 'none'", headers["content-security-policy"])
            self.assertIn("script-src 'self';", headers["content-security-policy"])

    def test_the_page_has_no_script_of_its_own(self):
        page = self.client.get("/").text
        self.assertNotIn("<script>", page)
        self.assertNotRegex(page, r" on[a-z]+=")


class Uploads(Served):
    def sent(self, data, name):
        began = time.monotonic()
        answer = self.client.post(
            f"/api/outlines?name={name}&unit=mm",
            content=data,
            headers={"content-type": "application/octet-stream"},
        )
        self.assertLess(time.monotonic() - began, 16)
        return answer

    def test_what_breaks_its_reader_is_told_in_a_sentence(self):
        nest = (
            '{"type": "GeometryCollection", "geometries": [' * 900
            + '{"type": "Point", "coordinates": [0, 0]}'
            + "]}" * 900
        )
        uses = "".join(
            f'<g id="g{k}">{f"<use href=%s#g{k - 1}%s/>" % (chr(34), chr(34)) * 10}</g>'
            for k in range(1, 9)
        )
        svg = '<svg xmlns="http://www.w3.org/2000/svg">{}</svg>'
        for data, name in (
            (nest, "nest.geojson"),
            ("GEOMETRYCOLLECTION(" * 5000 + "POINT(0 0)" + ")" * 5000, "nest.wkt"),
            (svg.format(f'<g id="g0"><rect width="1" height="1"/></g>{uses}'), "uses.svg"),
            (svg.format('<circle cx="1e300" cy="0" r="1e300"/>'), "far.svg"),
            (svg.format('<path d="M0 0 L nan 1 L 1 1 Z"/>'), "nan.svg"),
            (
                svg.format("".join(f'<circle cx="{10 * k}" cy="0" r="4"/>' for k in range(4000))),
                "many.svg",
            ),
            (b"\x00" * 1000, "nothing.dxf"),
        ):
            with self.subTest(name):
                answer = self.sent(data, name)
                self.assertEqual(answer.status_code, 422, answer.text[:200])
                self.assertIn(name, answer.json()["text"])

    def test_hundreds_of_circles_are_read(self):
        """Nested ones, too: which lies in which is found without comparing each with each."""
        rings = "".join(
            f'<circle cx="{30 * (k % 20)}" cy="{30 * (k // 20)}" r="{r}"/>'
            for k in range(400)
            for r in (12, 6)
        )
        answer = self.sent(
            f'<svg xmlns="http://www.w3.org/2000/svg"><rect x="-40" y="-40" '
            f'width="700" height="700"/>{rings}</svg>',
            "tubes.svg",
        )
        parts = answer.json()["parts"]
        self.assertEqual([p["does"] for p in parts.values()].count("cut"), 400)
        self.assertEqual(len(parts), 801)

    def test_others_are_answered_meanwhile(self):
        """A slow drawing does not hold up the event loop."""
        from concurrent.futures import ThreadPoolExecutor

        slow = (
            '<svg xmlns="http://www.w3.org/2000/svg">'
            + "".join(f'<circle cx="{k}" cy="0" r="4"/>' for k in range(3000))
            + "</svg>"
        )
        with self.client as client, ThreadPoolExecutor(1) as pool:
            waiting = pool.submit(
                client.post,
                "/api/outlines?name=a.svg&unit=mm",
                content=slow,
                headers={"content-type": "application/octet-stream"},
            )
            took = []
            while not waiting.done() and len(took) < 40:
                began = time.monotonic()
                client.get("/api/about")
                took.append(time.monotonic() - began)
            waiting.result()
        self.assertGreater(len(took), 3)
        self.assertLess(sorted(took)[len(took) // 2], 0.2)


class Shared(unittest.TestCase):
    """A server on a shared machine asks for its token."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)
        self.token = make_token(self.home)
        self.now = 0.0
        self.client = TestClient(
            build_app(self.home, hosts=("kettle.lan",), access=Access(self.home, lambda: self.now)),
            base_url="http://kettle.lan:4173",
        )

    def test_the_token_is_kept_as_a_hash(self):
        for file in self.home.iterdir():
            if file.is_file():
                self.assertNotIn(self.token.encode(), file.read_bytes())

    def test_nobody_gets_in_without_it(self):
        self.assertEqual(self.client.get("/api/cases").status_code, 401)
        self.assertIn("token", self.client.get("/").text)
        for given in ("wrong", "", self.token[:-1]):
            self.assertEqual(
                self.client.get(
                    "/api/cases", headers={"authorization": f"Bearer {given}"}
                ).status_code,
                401,
            )

    def test_by_header_and_by_cookie(self):
        self.assertEqual(
            self.client.get(
                "/api/cases", headers={"authorization": f"Bearer {self.token}"}
            ).status_code,
            200,
        )
        answer = self.client.post("/enter", data={"token": self.token}, follow_redirects=False)
        self.assertEqual(answer.status_code, 303)
        self.assertIn("HttpOnly; SameSite=Strict", answer.headers["set-cookie"])
        self.assertEqual(self.client.get("/api/cases").status_code, 200)

    def test_tries_are_limited(self):
        for _ in range(TRIES):
            self.client.post("/enter", data={"token": "guess"})
        self.assertEqual(self.client.post("/enter", data={"token": self.token}).status_code, 429)
        self.now = 61.0
        self.assertEqual(
            self.client.post(
                "/enter", data={"token": self.token}, follow_redirects=False
            ).status_code,
            303,
        )

    def test_another_name_is_refused_before_anything_else(self):
        self.assertEqual(self.client.get("/", headers={"host": "evil.example"}).status_code, 403)


class Described(unittest.TestCase):
    def test_bodies_and_statuses_are_described(self):
        with tempfile.TemporaryDirectory() as folder:
            api = described(build_app(folder))
        case = api["paths"]["/api/cases"]["post"]["requestBody"]["content"]["application/json"]
        self.assertEqual(case["schema"], {"$ref": "#/components/schemas/CaseFile"})
        self.assertIn(
            "application/octet-stream",
            api["paths"]["/api/outlines"]["post"]["requestBody"]["content"],
        )
        for path, methods in api["paths"].items():
            for method, operation in methods.items():
                told = operation["responses"]
                self.assertIn("422", told)
                if "{" in path:
                    self.assertIn("404", told)
                good = told.get("200", {}).get("content", {}).get("application/json")
                if good is not None and path != "/api/schema":
                    self.assertIn("$ref", json.dumps(good["schema"]), f"{method} {path}")


if __name__ == "__main__":
    unittest.main()
