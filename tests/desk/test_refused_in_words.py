"""What the desk refuses, where nobody had asked before: by the field, with what is allowed, and nothing kept."""

import asyncio
import io
import json
import os
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from asgiref.sync import async_to_sync
from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.core.management.base import CommandError
from django.test import SimpleTestCase

from desk.exchange.models import Staged
from desk.exchange.pick_up import BrokenFileError, _read, _taker
from desk.exchange.worlds import world_of
from desk.floor.models import OpenPoint, Record, Stop, World
from desk.floor.points import keep_point, keep_stop
from desk.floor.services import correct
from desk.floor.state import State
from desk.people.models import Person
from desk.screens.working import find, tried_key
from desk.stations.moves.hands import SIMULATED, Hands
from desk.stations.moves.models import Move, Setting
from desk.stations.moves.services import Wish, make_move
from tests.desk.base import NOW, DeskCase
from tests.line import MILL


class Carried(DeskCase):
    def refused(self, make, **given):
        with self.assertRaises(ValidationError) as caught:
            make(State(self.world, NOW), self.people["lead"], form_key="k", **given)
        return {field: messages[0] for field, messages in caught.exception.message_dict.items()}

    def test_a_point_is_of_a_kind_whose_and_until_when(self):
        kind = OpenPoint.Kind
        soon, far = NOW + timedelta(hours=4), NOW + timedelta(days=15)
        for given, field, words in (
            ({"kind": "rumour", "text": "x"}, "kind", "'rumour' is nothing that is carried"),
            ({"kind": kind.WATCH, "text": " "}, "text", "and where"),
            ({"kind": kind.DEFECT, "text": "seal weeps"}, "owner", "say whose it is"),
            ({"kind": kind.GAS_TEST, "text": "pit 2"}, "until", "say until when it holds"),
            (
                {"kind": kind.PERMIT, "text": "pit 2", "owner": "Orr", "until": NOW},
                "until",
                "is no time it can hold until",
            ),
            ({"kind": kind.PERMIT, "text": "pit 2", "owner": "Orr", "until": far}, "until", "within 14 days"),
        ):
            with self.subTest(given):
                self.assertIn(words, self.refused(keep_point, **given)[field])
        self.assertFalse(OpenPoint.objects.exists() or Record.objects.exists())
        kept = keep_point(
            State(self.world, NOW), self.people["lead"], kind=kind.PERMIT, text="pit 2", owner="Orr", until=soon,
            form_key="p",
        )  # fmt: skip
        self.assertEqual(kept.until, soon)

    def test_a_stop_is_of_a_station_with_a_cause_and_an_end_that_can_be(self):
        begun = NOW - timedelta(hours=2)
        good = {"station": "wash", "cause": "drive", "from_at": begun, "to_at": None}
        for wrong, field, words in (
            ({"station": "attic"}, "station", "Hallin Reach has no station 'attic'"),
            ({"cause": "  "}, "cause", "say why it stood"),
            ({"from_at": NOW + timedelta(hours=1)}, "at", "is in the future"),
            ({"to_at": begun}, "to_at", "is no end of it"),
            ({"to_at": NOW + timedelta(minutes=3)}, "to_at", "not to come"),
        ):
            with self.subTest(wrong):
                self.assertIn(words, self.refused(keep_stop, **{**good, **wrong})[field])
        self.assertFalse(Stop.objects.exists())

    def test_what_was_made_from_a_record_of_its_own_is_corrected_there(self):
        trim = Record.objects.create(
            world=self.world, kind=Record.Kind.TRIM, tag="brown_cons", value=0.1, unit="%", text="trim", at=NOW,
            by=self.people["lead"], form_key="t", digest="",
        )  # fmt: skip
        with self.assertRaises(ValidationError) as caught:
            correct(trim, self.people["lead"], value=0.2, text="", reason="slip", form_key="c")
        self.assertIn("corrected where it was made", caught.exception.message_dict["reason"][0])


class LinesMade(DeskCase):
    """A line of one's own, from its file and a list of people: all of it or nothing."""

    def made(self, **options):
        out = io.StringIO()
        call_command("new_line", mill=MILL, stdout=out, **options)
        return out.getvalue()

    def refused(self, **options):
        before = (World.objects.count(), Person.objects.count())
        with self.assertRaises(CommandError) as caught:
            self.made(**options)
        self.assertEqual((World.objects.count(), Person.objects.count()), before)
        return str(caught.exception)

    def listed(self, folder, text):
        path = Path(folder) / "people.csv"
        path.write_text(text, encoding="utf-8")
        return path

    def test_an_address_that_is_taken_or_is_none_and_a_file_that_is_not_there(self):
        self.assertIn("there is a line at /live/ already", self.refused(world="live"))
        self.assertIn("nothing was made", self.refused(world="a line"))
        self.assertIn("No such file", str(self.refused(world="new", people=Path("nowhere.csv"))))

    def test_the_first_line_needs_an_engineer_with_a_password_that_is_one(self):
        Person.objects.filter(role="engineer").update(is_active=False)
        self.assertIn("give --engineer", self.refused(world="new"))
        with patch.dict(os.environ, {"FOX_FIRST_PASSWORD": "short"}):
            self.assertIn("password", self.refused(world="new", engineer="vik"))
        with patch.dict(os.environ, {"FOX_FIRST_PASSWORD": "heron lamp quartz"}):
            self.assertIn("is at /new/", self.made(world="new", engineer="vik"))
        self.assertTrue(Person.objects.get(username="vik").check_password("heron lamp quartz"))

    def test_people_come_from_a_list_with_a_first_password_each_or_none_of_them(self):
        heading = "username,first_name,last_name,role\n"
        with TemporaryDirectory() as folder:
            wrong = self.listed(folder, "name,role\nann,tester\n")
            self.assertIn("must have the columns username, first_name", self.refused(world="new", people=wrong))
            self.assertIn("must have the columns", self.refused(world="new", people=self.listed(folder, heading)))
            bad = self.listed(folder, heading + "ann,Ann,Berg,tester\nbo,Bo,Dal,admiral\n")
            self.assertIn("people.csv, line 3: role:", self.refused(world="new", people=bad))
            good = self.listed(folder, heading + "ann,Ann,Berg,tester\nbo,Bo,Dal,cook\n")
            said = self.made(world="new", people=good)
        for name, role in (("ann", "tester"), ("bo", "cook")):
            person = Person.objects.get(username=name)
            password = next(line for line in said.splitlines() if line.startswith(f"{name},")).partition(",")[2]
            self.assertEqual((person.role, person.must_change), (role, True))
            self.assertTrue(person.check_password(password))

    def test_a_part_works_for_the_line_of_an_address_or_of_a_file_as_it_is_now(self):
        self.assertEqual(world_of("live", None), self.world)
        self.assertEqual(world_of("", MILL), self.world)
        with self.assertRaisesRegex(CommandError, "no line at /none/"):
            world_of("none", None)
        with TemporaryDirectory() as folder:
            other = Path(folder) / "mill.yaml"
            other.write_text(MILL.read_text(encoding="utf-8") + "\n# changed\n", encoding="utf-8")
            with self.assertRaisesRegex(CommandError, "as it is now"):
                world_of("", other)


class FilesPage(DeskCase):
    ROW = "at,words,station,to_value\n2026-03-10T14:00,shower,wash,3600\n"

    def send(self, name="moves.csv", data=None, table="moves", part="moves", **more):
        files = {"file": SimpleUploadedFile(name, (self.ROW if data is None else data).encode())} if name else {}
        return self.client.post(f"/live/{part}/files/preview/", {"table": table, **files, **more}, follow=True)

    def setUp(self):
        super().setUp()
        self.part = "cook"
        self.sign_in("cook")

    def test_no_file_a_wrong_one_and_one_of_another_station(self):
        self.assertContains(self.send("", table="steps", part="cook"), "No file was chosen", status_code=422)
        wrong = self.send("steps.doc", table="steps", part="cook")
        self.assertContains(wrong, "is no CSV, JSON or XLSX file", status_code=422)
        self.assertEqual(self.send(table="lots", part="cook").status_code, 404)
        self.assertFalse(Staged.objects.exists())

    def test_one_too_large_is_refused_by_its_size_before_it_is_read(self):
        with patch("desk.screens.files.MOST_BYTES", 10), patch("desk.screens.files.read_rows") as reads:
            self.assertContains(self.send(table="steps", part="cook"), "is larger than", status_code=422)
        reads.assert_not_called()

    def test_a_file_with_a_row_at_fault_is_shown_and_never_kept_and_can_be_left(self):
        shown = self.send("steps.csv", "number,kind,at\n4444,steam,2026-03-10T14:00\n", table="steps", part="cook")
        self.assertContains(shown, "1 of 1 rows cannot be kept.")
        staged = Staged.objects.get()
        kept = self.client.post(f"/live/cook/files/{staged.pk}/keep/")
        self.assertContains(kept, "Not every row can be kept yet; nothing was imported.", status_code=422)
        self.sign_in("lead")
        self.assertEqual(self.client.get(f"/live/cook/files/{staged.pk}/").status_code, 404)  # another's file
        self.sign_in("cook")
        self.assertEqual(self.client.post(f"/live/cook/files/{staged.pk}/drop/").status_code, 302)
        self.assertFalse(Staged.objects.exists())


class DevicesFiles(SimpleTestCase):
    def refused(self, name, data):
        with TemporaryDirectory() as folder:
            path = Path(folder) / name
            path.write_bytes(data)
            with self.assertRaises(BrokenFileError) as caught:
                _read(path)
        return str(caught.exception)

    def test_each_says_what_is_wrong_with_it(self):
        for data, words in (
            (b"a,b\n1,\xff\n", "not text in UTF-8: byte 6"),
            (b"a,b\n", "the file holds no rows"),
            (b"a,b\n1,2,3\n", "a line has more fields than the first"),
            (b"a\n" + b"1\n" * 20_000, "rows are more than"),
        ):
            with self.subTest(data[:12]):
                self.assertIn(words, self.refused("scale_1.csv", data))

    def test_no_device_of_that_name(self):
        with self.assertRaisesRegex(BrokenFileError, "no device is called 'toaster'; a name begins with one of"):
            _taker("toaster")


class Workings(DeskCase):
    """A number's key finds it again; one that names nothing is refused, whatever it says."""

    def test_keys_that_name_nothing(self):
        state = State(self.world, NOW)
        for key in (
            "", "gremlin:1", "reading:none", "flow:none", "cover:none", "advice:none", "witness:none", "drift:none",
            "machine:none", "tried:", "tried:a:b", "tried:brown_stock:none:10:a=1", "tried:brown_stock:x:ten:a=1",
        ):  # fmt: skip
            with self.subTest(key), self.assertRaises(LookupError):
                find(state, key)

    def test_a_tried_order_is_found_by_its_flow_its_water_and_its_brightness(self):
        state = State(self.world, NOW)
        key = tried_key(state.result, "brown_stock")
        dry, whole = find(state, key), find(state, f"{key}:whole")
        stream = state.result.streams["brown_stock"]
        self.assertAlmostEqual(dry.value, stream.bdt_per_h, places=6)
        self.assertAlmostEqual(whole.value, stream.total_t_per_h, places=6)
        self.assertEqual((dry.key, whole.key, whole.unit), (key, f"{key}:whole", "t/h"))
        with self.assertRaisesRegex(LookupError, "gives no brightness_pct"):  # nobody measured it yet
            find(state, tried_key(state.result, "brightness"))
        for tag, value in (("cane_brightness", 82.0), ("wood_brightness", 85.0), ("rec_brightness", 70.0)):
            self.enter(tag, value)
        state = State(self.world, NOW)
        bright = find(state, tried_key(state.result, "brightness"))
        self.assertTrue(60 < bright.value < 95)
        self.assertIn("order of", bright.data["shares_frac"].origin.text)

    def test_freeness_is_said_on_its_other_scale_beside(self):
        self.enter("wood_freeness", 460)
        shown = find(State(self.world, NOW), "reading:wood_freeness")
        self.assertEqual((shown.value, "about" in shown.origin.text), (460, True))


class Settings(DeskCase):
    def setUp(self):
        super().setUp()
        self.world = World.objects.create(slug="try", name="Try", version=self.world.version, simulated=True)
        for point in ("flow:brown_water", "flow:blend_water"):
            Setting.objects.create(
                world=self.world, point=point, words="water", unit="L/min", low=0, high=5000, decimals=0, station="wash",
                value=2340, at=NOW,
            )  # fmt: skip

    def refused(self, point, to):
        with self.assertRaises(ValidationError) as caught:
            make_move(
                self.world, self.people["operator"], Wish(point=point, to=to, words="water"), at=NOW, form_key="k"
            )
        return caught.exception.message_dict

    def test_a_point_there_is_none_of_is_answered_with_the_near_ones(self):
        self.assertIn("Allowed: flow:brown_water", self.refused("flow:brown_watr", 2400)["point"][0])
        self.assertIn("what the list names", self.refused("zzz", 1)["point"][0])

    def test_no_number_is_no_setting(self):
        for to in (float("nan"), float("inf"), 1e12):
            with self.subTest(to):
                self.assertIn("is no setting", self.refused("flow:brown_water", to)["to"][0])

    def test_a_card_that_is_gone_or_says_the_other_way_is_pressed_in_vain(self):
        self.sign_in("operator")
        gone = self.client.post("/try/moves/card/brown_cons/", {"to": "2400", "form_key": "a"})
        self.assertContains(gone, "the card is gone meanwhile", status_code=422)
        world, self.world = self.world, World.objects.get(slug="live")
        self.enter("cane_brightness", 80.0)
        other = self.client.post("/live/moves/card/cane_brightness/", {"to": "13", "side": "high", "form_key": "b"})
        self.assertContains(other, "the card says the other way meanwhile", status_code=422)
        self.world = world
        self.assertFalse(Move.objects.exists())


class Server:
    """A server that answers once and then is gone."""

    def __init__(self, spaces, told):
        self.spaces, self.told, self.asked = spaces, told, []

    async def __aenter__(self):
        return self

    async def __aexit__(self, *_):
        return False

    async def get_namespace_array(self):
        return self.spaces

    def get_node(self, node):
        self.asked.append(node.Identifier)
        return self

    async def read_value(self):
        return json.dumps(self.told)

    async def call_method(self, *_):
        return json.dumps({"ok": True})


class HandsAtWork(DeskCase):
    TOLD = (
        {"point": "flow:x", "words": "flow of x", "unit": "L/min", "low": 0.0, "high": 9.0, "decimals": 0, "station": "wash",
         "value": 4.0},
    )  # fmt: skip

    def run_for(self, servers, rounds):
        """Run the hands on servers one after another, until so many waits are over."""
        self.world.simulated = True
        hands, waited = Hands(self.world, "opc.tcp://nowhere", SIMULATED), []

        async def sleep(seconds):
            waited.append(seconds)
            if len(waited) >= rounds:
                raise asyncio.CancelledError

        with (
            patch("desk.stations.moves.hands.Client", side_effect=servers),
            patch("desk.stations.moves.hands.asyncio.sleep", sleep),
            patch.object(Hands, "let_go", staticmethod(lambda: None)),
            self.assertLogs("desk.stations.moves.hands", "WARNING") as heard,
            self.assertRaises(asyncio.CancelledError),
        ):
            async_to_sync(hands.run)()
        return waited, heard.output

    def test_it_waits_longer_each_time_for_a_plant_that_is_away_and_never_for_good(self):
        waited, heard = self.run_for([OSError("nobody there")] * 9, 9)
        self.assertEqual(waited, [1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 60.0, 60.0, 60.0])
        self.assertIn("nobody there; trying again in 1 s", heard[0])

    def test_a_server_of_another_name_is_left_and_one_of_its_own_is_listened_to(self):
        own = Server(["http://opcfoundation.org/UA/", SIMULATED], list(self.TOLD))
        waited, heard = self.run_for([Server(["urn:a-mill:plant"], []), own], 3)
        self.assertIn("is not the simulated plant: it is never written to", heard[0])
        self.assertEqual(waited, [1.0, 2.0, 2.0])
        self.assertEqual(Setting.objects.get(world=self.world).value, 4.0)
        self.assertIn("settings", own.asked)
