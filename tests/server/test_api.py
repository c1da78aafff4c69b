"""The API: what screens are made of, refusals with the same words, exports."""

import json
import struct
import tempfile
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from tests.phenomena.cases import WARMTH
from tests.server.client import client_of
from underkettle.server.demo import fill
from underkettle.server.describe import descriptions

ROOT = Path(__file__).resolve().parent.parent.parent
LANCE = json.loads((ROOT / "demo" / "salt-lance.json").read_text())


def unpacked(content):
    (size,) = struct.unpack_from("<I", content)
    header = json.loads(content[4 : 4 + size])
    return header, np.frombuffer(content[4 + size :], "<f4").reshape(
        header["rows"], header["columns"]
    )


class Api(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(self.folder.cleanup)
        fill(Path(self.folder.name))
        self.client = client_of(self.folder.name)
        shelf = self.client.get("/api/cases").json()
        self.demos = len(list((ROOT / "demo").glob("*.json")))
        self.id = next(c["id"] for c in shelf if c["name"] == "Salt lance")

    def edit(self, patch, case=None):
        return self.client.patch(
            f"/api/cases/{case or self.id}", json={"patch": patch, "label": "a change"}
        )

    def test_the_shelf_can_be_copied_emptied_and_restored(self):
        copy = self.client.post(f"/api/cases/{self.id}/copy").json()["id"]
        self.assertEqual(len(self.client.get("/api/cases").json()), self.demos + 1)
        self.client.delete(f"/api/cases/{copy}")
        self.assertEqual(self.client.get(f"/api/cases/{copy}").status_code, 404)
        self.client.post(f"/api/cases/{copy}/restore")
        self.assertEqual(self.client.get(f"/api/cases/{copy}").json()["name"], "Salt lance, copy")
        fill(Path(self.folder.name))
        self.assertEqual(len(self.client.get("/api/cases").json()), self.demos + 1)

    def test_known_sets_of_members(self):
        told = self.client.get("/api/known/reactions").json()
        hydrogen = next(s for s in told if s["name"] == "hydrogen")
        self.assertEqual(len(hydrogen["members"]), 21)
        self.assertIn("2004", hydrogen["source"])
        self.assertEqual(self.client.get("/api/known/flow").json(), [])
        refused = self.client.get("/api/known/stones")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("reactions", refused.json()["faults"][0]["cure"])

    def template(self, name):
        return next(
            t["data"] for t in self.client.get("/api/templates").json() if t["name"] == name
        )

    def test_every_template_is_sound(self):
        for found in self.client.get("/api/templates").json():
            with self.subTest(found["name"]):
                case = self.client.post("/api/cases", json=found["data"]).json()
                view = self.client.get(f"/api/cases/{case['id']}").json()
                self.assertTrue(view["can_run"], view["audit"])
                self.assertEqual(view["ledger"]["counts"]["missing"], 0)

    def test_every_proof_can_be_opened_as_a_case(self):
        found = self.client.get("/api/proofs").json()
        self.assertEqual(len(found), len(list((ROOT / "proofs").glob("*/proof.py"))))
        for proof in found:
            with self.subTest(proof["name"]):
                data = self.client.get(f"/api/proofs/{proof['name']}").json()
                self.assertEqual(data["name"], proof["title"])
                self.assertEqual(self.client.post("/api/cases", json=data).status_code, 200)
        missing = self.client.get("/api/proofs/nowhere")
        self.assertEqual(missing.status_code, 422)
        self.assertIn("there is no proof", missing.text)

    def test_what_a_vessel_is_full_of_at_the_start_can_be_looked_at(self):
        tank = self.template("Steeping tank")
        half = "if((x > 0 mm)*(x < 60 mm) > 0, 4 mol/m3, 1 mol/m3)"
        tank["start"]["space"]["species.marker"]["value"] = half
        case = self.client.post("/api/cases", json=tank).json()["id"]
        answer = self.client.get(f"/api/cases/{case}/start/species.marker")
        header, values = unpacked(answer.content)
        self.assertEqual((header["low"], header["high"], header["unit"]), (1.0, 4.0, "mol/m3"))
        self.assertEqual((values[5, 2], values[5, -3]), (4.0, 1.0))
        self.assertEqual(self.client.get(f"/api/cases/{case}/start/ghost").status_code, 404)

    def test_the_library_tells_properties_with_curve_law_and_source(self):
        self.assertEqual(
            self.client.get("/api/matter", params={"text": "water"}).json()[0]["id"], "Water"
        )
        told = self.client.get(
            "/api/matter/Water",
            params={"temperature": "20 degC", "pressure": "1 bar", "spread": "15 K"},
        ).json()
        self.assertEqual(told["phase"], "liquid")
        self.assertIn("CoolProp: water, 20 degC", told["source"])
        self.assertTrue(told["values"]["density"]["typed"].startswith("998.2"))
        self.assertLess(told["values"]["viscosity"]["law_error"], 0.01)
        self.assertIn("(temperature - 293.15 K)", told["values"]["viscosity"]["law"])
        for state, words in (
            ({"temperature": "9 kK"}, "no values at 9000 K"),
            ({"temperature": "3 m"}, "temperature"),
        ):
            answer = self.client.get("/api/matter/Water", params=state)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["text"])

    def test_a_material_of_ones_own_is_kept_used_and_dropped(self):
        pulp = {
            "label": "Pressed-out pulp",
            "source": "lab sheet 12",
            "properties": {
                "density": "1080 kg/m3",
                "viscosity": "3 mPa*s*exp(-0.02 1/K*(temperature - 293.15 K))",
            },
        }
        entry = self.client.post("/api/matter", json=pulp).json()["id"]
        again = self.client.post("/api/matter", json=pulp).json()["id"]
        found = self.client.get("/api/matter", params={"text": "pulp"}).json()
        self.assertEqual([(m["id"], m["own"]) for m in found], [(again, True)])
        told = self.client.get(f"/api/matter/{again}", params={"temperature": "30 degC"}).json()
        self.assertEqual(told["source"], "Pressed-out pulp: lab sheet 12")
        self.assertEqual(told["values"]["density"]["typed"], "1080 kg/m3")
        self.assertEqual(told["values"]["density"]["law"], "")
        self.assertTrue(told["values"]["viscosity"]["typed"].startswith("0.0024561"))
        curve = told["values"]["viscosity"]["curve"]["values"]
        self.assertAlmostEqual(curve[0] / curve[-1], 2.718281828**0.8, places=6)
        for properties, words in (
            ({"density": "3 m"}, "a length"),
            ({}, "no property"),
            ({"colour": "1"}, "not a property kept"),
            ({"density": "-1 kg/m3"}, "positive"),
            ({"density": "1 kg/m3*ghost"}, "ghost"),
        ):
            answer = self.client.post("/api/matter", json={**pulp, "properties": properties})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["text"])
        self.assertEqual(self.client.delete(f"/api/matter/{entry}").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/matter/{again}").status_code, 200)
        self.assertEqual(self.client.get("/api/matter", params={"text": "pulp"}).json(), [])

    def test_sizes_of_every_shape_stand_on_the_sheet(self):
        blank = self.template("Blank sheet")
        blank["vessel"]["parts"] |= {
            "bow": {
                "shape": "arc",
                "x": "0 mm",
                "y": "0 mm",
                "inner": "3 mm",
                "outer": "5 mm",
                "end": "60 deg",
            },
            "run": {
                "shape": "duct",
                "points": [["0 mm", "2 mm"], ["9 mm", "2 mm"]],
                "width": "1 mm",
            },
        }
        case = self.client.post("/api/cases", json=blank).json()["id"]
        sizes = self.client.get(f"/api/cases/{case}").json()["sheet"]["dimensions"]
        told = {(s["part"], s["path"][-1], tuple(s["index"] or ())): s["text"] for s in sizes}
        self.assertEqual(told["bow", "inner", ()], "R 3")
        self.assertEqual(told["bow", "end", ()], "60\u00b0")
        self.assertEqual(told["run", "width", ()], "width 1")
        self.assertEqual(told["run", "points", (1, 0)], "x 9")

    def test_a_typed_value_shows_its_curve(self):
        tank = self.template("Steeping tank")
        case = self.client.post("/api/cases", json=tank).json()["id"]

        def told(text, place="inlet"):
            return self.client.post(
                f"/api/cases/{case}/understand",
                json={
                    "phenomenon": "flow",
                    "on": "edge",
                    "kind": "inflow",
                    "param": "speed",
                    "text": text,
                    "place": place,
                },
            ).json()

        self.assertIsNone(told("speed")["curve"])
        table = told({"table": [["0 s", "0 mm/s"], ["2 s", "6 mm/s"]]})["curve"]
        self.assertEqual((table["axis"], table["at"], table["unit"]), ("time", [0.0, 2.0], "m/s"))
        self.assertAlmostEqual(table["values"][1], 6e-3)
        along = told("speed*(y/high)")["curve"]
        self.assertEqual((along["axis"], along["axis_unit"]), ("y", "mm"))
        self.assertAlmostEqual(along["at"][0], 68.0)
        self.assertAlmostEqual(along["values"][-1], 4e-3 * 76 / 80)

    def test_edits_at_the_same_time_are_all_kept(self):
        names = [f"extra{k}" for k in range(8)]
        with ThreadPoolExecutor(8) as pool:
            answers = list(
                pool.map(lambda n: self.edit({"parameters": {n: "1 mm"}}).status_code, names)
            )
        self.assertEqual(set(answers), {200})
        kept = self.client.get(f"/api/cases/{self.id}").json()
        self.assertLessEqual(set(names), set(kept["data"]["parameters"]))
        self.assertEqual(kept["journal"]["count"], len(names))

    def test_edits_are_journalled_undone_and_redone(self):
        view = self.edit({"parameters": {"speed": "3 mm/s"}}).json()
        self.assertEqual(view["journal"]["undo"], "a change")
        self.assertAlmostEqual(view["regimes"][0]["value"], 1.5 * 17.928, delta=0.01)
        back = self.client.post(f"/api/cases/{self.id}/undo").json()
        self.assertEqual(back["data"]["parameters"]["speed"], "2 mm/s")
        self.assertEqual(back["journal"]["redo"], "a change")
        again = self.client.post(f"/api/cases/{self.id}/redo").json()
        self.assertEqual(again["data"]["parameters"]["speed"], "3 mm/s")

    def test_a_refused_edit_changes_nothing_and_says_why(self):
        for patch, words in (
            ({"parameters": {"speed": "3 kg"}}, "this is a mass"),
            ({"grid": {"size": "zero"}}, "'zero' is not known here"),
            ({"vessel": {"nozzles": {"inlet": {"bore": "80 mm"}}}}, "wider than its wall"),
            ({"flavour": 1}, "not known here"),
        ):
            answer = self.edit(patch)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["text"])
            self.assertTrue(answer.json()["faults"][0]["where"])
        self.assertEqual(self.client.get(f"/api/cases/{self.id}/file").json(), LANCE)

    def test_broken_files_are_refused_with_the_same_words(self):
        answer = self.client.post(
            "/api/cases", content='{"name": ', headers={"content-type": "application/json"}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("not JSON", answer.json()["text"])

    def test_fire_stays_shut_while_something_stops(self):
        self.edit({"conditions": {"inlet": {"flow": None}}})
        answer = self.client.post(f"/api/cases/{self.id}/fire", json={})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("Inlet says nothing about flow", answer.json()["text"])

    def test_understanding_a_typed_value(self):
        def told(text):
            return self.client.post(
                f"/api/cases/{self.id}/understand",
                json={
                    "phenomenon": "flow",
                    "on": "edge",
                    "kind": "inflow",
                    "param": "speed",
                    "text": text,
                },
            )

        self.assertEqual(told("2*speed").json()["text"], "= 0.004 m/s")
        self.assertIn("to", told("speed*y/gap").json()["text"])
        self.assertEqual(told("3 s").status_code, 422)

    def test_a_phenomenon_from_outside_needs_no_other_code(self):
        case = self.client.post("/api/cases", json=WARMTH).json()["id"]
        view = self.client.get(f"/api/cases/{case}").json()
        self.assertIn("warmth", [c["id"] for c in view["ledger"]["columns"]])
        row = next(r for r in view["ledger"]["rows"] if r["place"] == "ember")
        self.assertEqual(row["cells"]["warmth"]["text"], "glows 5 K/s")
        self.assertIn("warmth", view["fields"])
        schema = self.client.get("/api/schema").json()
        self.assertIn("warmth", schema["properties"]["phenomena"]["properties"])
        cards = {c["name"] for c in view["phenomena"]["warmth"]["conditions"]}
        self.assertIn("cooled", cards)
        found = self.edit({"conditions": {"box_top": None}}, case).json()["audit"]
        self.assertIn("Warmth has nowhere to go.", [f["sentence"] for f in found])

    def test_a_run_is_watched_read_and_exported(self):
        self.edit(
            {
                "grid": {"size": "1 mm", "refine": {"near_lance": {"size": "0.3 mm"}}},
                "stages": {"spread": {"until": "3 s"}},
            }
        )
        run = self.client.post(f"/api/cases/{self.id}/fire", json={}).json()["id"]
        end = time.time() + 120
        while self.client.get(f"/api/runs/{run}").json()["status"] == "running":
            self.assertLess(time.time(), end)
            time.sleep(0.2)
        view = self.client.get(f"/api/runs/{run}").json()
        self.assertEqual(view["status"], "finished", view["message"])
        frames = self.client.get(f"/api/runs/{run}/frames").json()
        last = frames["frames"][-1]["id"]
        header, values = unpacked(self.client.get(f"/api/runs/{run}/frames/{last}/salt").content)
        self.assertEqual(values.shape, (len(frames["y"]) - 1, len(frames["x"]) - 1))
        self.assertAlmostEqual(float(np.nanmax(values)), header["high"], places=4)
        told = self.client.get(
            f"/api/runs/{run}/probe", params={"frame": last, "x": 0.01, "y": 0.0045}
        ).json()["values"]
        self.assertGreater(told["speed"]["value"], 0)
        query = {"frame": last, "name": "speed", "x0": 0.01, "y0": 0, "x1": 0.01, "y1": 0.009}
        profile = self.client.get(f"/api/runs/{run}/profile", params=query).json()
        rows = self.client.get(f"/api/runs/{run}/export/profile.csv", params=query).text
        lines = rows.strip().splitlines()
        self.assertEqual(lines[0], "distance [mm],x [mm],y [mm],speed [m/s]")
        self.assertEqual(len(lines) - 1, len(profile["value"]))
        self.assertAlmostEqual(float(lines[3].split(",")[3]), profile["value"][2])
        asked = {"frame": last, "quantity": "salt", "edge": "lance"}
        wall = self.client.get(f"/api/runs/{run}/wall", params=asked).json()
        self.assertEqual(wall["unit"], "mol/(m2 s)")
        self.assertGreater(min(wall["value"]), 0.0)
        edges = self.client.get(f"/api/runs/{run}/frames/{last}/edges/salt").json()
        self.assertEqual(edges["unit"], wall["unit"])  # nothing but the lance gives salt
        np.testing.assert_allclose(sorted(p[4] for p in edges["pieces"]), sorted(wall["value"]))
        self.assertEqual(
            self.client.get(f"/api/runs/{run}/frames/{last}/edges/mass").status_code, 422
        )
        rows = self.client.get(f"/api/runs/{run}/export/wall.csv", params=asked).text
        self.assertEqual(len(rows.strip().splitlines()) - 1, len(wall["value"]))
        for wrong, words in (
            ({"edge": "moon"}, "no edge 'moon'"),
            ({"quantity": "mass"}, "cannot be read"),
        ):
            answer = self.client.get(f"/api/runs/{run}/wall", params={**asked, **wrong})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["text"])
        table = self.client.get(f"/api/runs/{run}/export/readouts.csv").text
        self.assertIn("pressure_drop", table)
        steps = self.client.get(f"/api/runs/{run}/export/histories.csv").text.splitlines()
        self.assertIn("pressure_drop [", steps[0])
        self.assertEqual(len(steps) - 1, len(self.client.get(f"/api/runs/{run}/watches").json()))
        field = self.client.get(f"/api/runs/{run}/export/field.csv", params={"frame": last}).text
        self.assertEqual(len(field.strip().splitlines()) - 1, int(np.isfinite(values).sum()))
        self.assertEqual(self.client.get(f"/api/runs/{run}/frames/{last}/gold").status_code, 404)

    def test_descriptions_in_docs_are_true(self):
        for name, content in descriptions().items():
            kept = json.loads((ROOT / "docs" / name).read_text())
            self.assertEqual(
                kept, json.loads(json.dumps(content)), f"docs/{name} is stale: make client"
            )


if __name__ == "__main__":
    unittest.main()
