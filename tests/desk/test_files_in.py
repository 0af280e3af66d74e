"""Files that come in: what a reader refuses of one, and what is said of each row that cannot be kept."""

import io
import json
import zipfile
from datetime import timedelta
from unittest.mock import patch

from django.core.exceptions import ValidationError
from django.test import SimpleTestCase

from desk.exchange import reading
from desk.exchange.reading import read_rows, write_rows
from desk.exchange.tables import check, keep_some, moment_in, number_in, numbers_in
from desk.floor.models import Record
from desk.stations.cook.models import Charge, LiquorTest, Result, Step
from desk.stations.cook.tables import COOK_TABLES
from desk.stations.moves.models import Move
from desk.stations.moves.tables import MOVE_TABLES
from stock.errors import DomainError
from tests.desk.base import NOW, DeskCase
from tests.desk.cook_house import ABC, HouseCase


def workbook(**parts):
    """Return a packed file with parts of so much text."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as book:
        for name, text in parts.items():
            book.writestr(name.replace("_", "/") + ".xml", text)
    return packed.getvalue()


class Readers(SimpleTestCase):
    def refused(self, name, data):
        with self.assertRaises(ValidationError) as caught:
            read_rows(name, data)
        return caught.exception.message_dict["file"][0]

    def test_a_file_too_large_is_refused_before_it_is_read(self):
        self.assertEqual(self.refused("a.csv", b"x" * 2_000_001), "the file is 2.0 MB; 2 MB is the most")

    def test_one_of_no_known_kind_is_named(self):
        self.assertIn("a.ods is no CSV, JSON or XLSX file", self.refused("a.ods", b"a"))

    def test_text_that_is_none_and_quotes_that_never_end(self):
        self.assertIn("not text in UTF-8 (byte 2)", self.refused("a.csv", b"a,\xff\n"))
        self.assertIn("not readable as CSV", self.refused("a.csv", b'a,b\n"1,2\n'))

    def test_a_heading_alone_and_a_file_too_long(self):
        self.assertIn("no rows under its heading", self.refused("a.csv", b"a,b\n\n,\n"))
        self.assertIn("no rows under its heading", self.refused("a.csv", b""))
        rows = "a\n" + "1\n" * 1001
        self.assertIn("1001 rows; 1000 at a time", self.refused("a.csv", rows.encode()))
        self.assertEqual(len(read_rows("a.csv", rows[:-2].encode())), 1000)

    def test_json_is_a_list_of_records_of_real_numbers(self):
        for text, words in (
            ('{"a": 1}', "a list of records"),
            ("[1, 2]", "a list of records"),
            ('[{"a": NaN}]', "NaN is no number"),
            ("[" * 100_000, "not readable as JSON"),
            ("[{", "not readable as JSON"),
        ):
            with self.subTest(text[:20]):
                self.assertIn(words, self.refused("a.json", text.encode()))
        self.assertEqual(
            read_rows("a.json", json.dumps([{"a": [1, 2.5], "b": None, "c": 3.0}]).encode()),
            [{"a": "1;2.5", "b": "", "c": "3"}],
        )

    def test_a_workbook_that_unpacks_to_far_too_much_is_never_unpacked(self):
        self.assertIn(
            "more than 40 MB", self.refused("a.xlsx", workbook(**{f"x{at}": "0" * 7_000_000 for at in range(6)}))
        )
        self.assertIn(
            "xl/big.xml in the workbook unpacks to more than 8 MB",
            self.refused("a.xlsx", workbook(xl_big="0" * 8_000_001)),
        )
        texts = "<si>" * 60_001
        self.assertIn("holds 60001 texts; 60000 is the most", self.refused("a.xlsx", workbook(xl_sharedStrings=texts)))
        self.assertIn("not readable as XLSX", self.refused("a.xlsx", b"PK no workbook"))

    def test_a_cell_of_endless_text_is_refused(self):
        self.assertIn(
            "a cell holds 2001 characters; 2000", self.refused("a.json", json.dumps([{"a": "x" * 2001}]).encode())
        )

    def test_an_endless_sheet_ends_and_whatever_is_written_comes_back(self):
        rows = [{"a": "1", "b": 'pump; 3, "west"'}, {"a": "", "b": "x"}]
        for form in ("csv", "json", "xlsx"):
            with self.subTest(form):
                self.assertEqual(read_rows(f"a.{form}", write_rows(form, ["a", "b"], rows)), rows)
        many = write_rows("xlsx", ["a"], [{"a": str(at)} for at in range(1500)])
        self.assertIn("1001 rows", self.refused("a.xlsx", many))

    def test_a_row_is_no_wider_than_sixty_columns(self):
        wide = ",".join(f"c{at}" for at in range(70))
        (row,) = read_rows("a.csv", f"{wide}\n{wide}\n".encode())
        self.assertEqual((len(row), row["c59"]), (60, "c59"))


class Cells(SimpleTestCase):
    def test_numbers_come_with_a_comma_too_and_others_are_named(self):
        self.assertEqual(number_in({"a": " 3,5 "}, "a"), 3.5)
        self.assertEqual(numbers_in({"a": "1; 2,5 3"}, "a"), [1.0, 2.5, 3.0])
        for text, words in (
            ("", "a is missing"),
            ("x3", "a is 'x3', which is not a number"),
            ("nan", "a is 'nan', which is not a number"),
            ("1e13", "a is 1e+13, which is not a number anybody measures"),
            ("3 t", "a is '3 t', which is not a number"),
            ("1,234", "a is '1,234', which could be 1.234 or 1234: write it with a point, or without"),
        ):
            with self.subTest(text), self.assertRaises(DomainError) as caught:
                number_in({"a": text}, "a")
            self.assertEqual((caught.exception.argument, caught.exception.message), ("a", words))

    def test_a_moment_without_a_zone_is_of_the_world_clock(self):
        self.assertEqual(moment_in({"at": "2026-03-10T14:30"}, "at"), NOW)
        self.assertEqual(moment_in({"at": "2026-03-10T15:30+01:00"}, "at"), NOW)
        with self.assertRaises(DomainError) as caught:
            moment_in({"at": "yesterday"}, "at")
        self.assertIn("not a moment as 2026-03-10T14:05", caught.exception.message)


class Rows:
    """What is wrong with single rows, by the table's own check."""

    def faults(self, table, who="engineer", **row):
        (found,) = check(table, self.world, self.people[who], [row], "k")
        return "; ".join(found.faults)


class RowsOfTheCookHouse(Rows, HouseCase):
    def faults(self, table, who="cook", **row):
        return super().faults(table, who, **row)

    def test_each_row_of_a_charge_sheet_that_cannot_be_is_told_why(self):
        good = {"number": "1190", "digester": "2", "recipe": "alder", "planned_at": NOW.isoformat()}
        self.assertEqual(self.faults(COOK_TABLES["charges"], **good), "")
        for wrong, words in (
            ({"number": "1190.5"}, "number is '1190.5', not a whole number"),
            ({"number": "0"}, "a cook cannot be number 0"),
            ({"number": "1187"}, "cook 1187 was started already"),
            ({"recipe": "spruce"}, "spruce"),
            ({"digester": "77"}, "77"),
            ({"recipe": "cane"}, "digester 2 does not cook"),
            ({"planned_at": (NOW + timedelta(days=4)).isoformat()}, "from half a day back to three days ahead"),
            ({"planned_at": (NOW - timedelta(hours=13)).isoformat()}, "from half a day back to three days ahead"),
            ({"liquor_to_wood": "0"}, "liquor"),
            ({"planned_at": ""}, "planned_at is missing"),
            ({"wood": "3"}, "there is no column 'wood'"),
        ):
            with self.subTest(wrong):
                self.assertIn(words, self.faults(COOK_TABLES["charges"], **{**good, **wrong}))
        self.assertFalse(Charge.objects.exists())

    def test_steps_out_of_order_or_with_numbers_of_others_are_told_why(self):
        self.charge_it()
        ahead, at = NOW.replace(year=2126).isoformat(), (NOW + timedelta(minutes=20)).isoformat()
        self.hold_clock(30)
        for wrong, words in (
            ({"kind": "steam", "at": ahead}, "is in the future"),
            ({"kind": "chips", "green_t": "30"}, "is logged already"),
            ({"kind": "steam", "green_t": "30"}, "not of this step"),
            ({"kind": "relief"}, "cook 1190 was never heated; allowed: steam first"),
            ({"kind": "empty"}, "cook 1190 is not blown yet; allowed: blow first"),
            ({"kind": "steam", "at": NOW.isoformat()}, "is before the last step of cook 1190"),
            ({"kind": "note", "text": "  "}, "a note says something"),
            ({"kind": "sing"}, "sing"),
            ({"kind": "chips", "number": "4444"}, "4444"),
        ):
            with self.subTest(wrong):
                found = self.faults(COOK_TABLES["steps"], **{"number": "1190", "at": at, **wrong})
                self.assertIn(words, found)
        self.assertEqual(Step.objects.count(), 3)

    def test_nothing_is_poured_into_a_cook_that_is_let_down_or_has_no_chips(self):
        self.charge_it()
        self.heat_it(until=175)
        self.log("relief", 175)
        self.hold_clock(180)
        at = (NOW + timedelta(minutes=178)).isoformat()
        row = {"number": "1190", "kind": "liquor", "at": at, "liquor_m3": "5", "strength_kg_per_m3_as_naoh": "105"}
        self.assertIn("is being relieved; no liquor goes in now", self.faults(COOK_TABLES["steps"], **row))
        fill = {"number": "1187", "kind": "fill", "at": at, "fill_m3": "5"}
        self.assertIn("log the chips of cook 1187 first", self.faults(COOK_TABLES["steps"], **fill))

    def test_results_titrations_and_gauges_name_what_they_lack(self):
        at = (NOW - timedelta(minutes=5)).isoformat()
        for table, row, words in (
            ("results", {"number": "1187", "kappa": "600"}, "kappa"),
            ("results", {"number": "1187", "kappa": "18", "at": NOW.replace(year=2126).isoformat()}, "in the future"),
            ("results", {"number": "1187"}, "kappa is missing"),
            ("titrations", {"liquor": "vinegar"}, "liquor is 'vinegar'; one of"),
            (
                "titrations",
                {"liquor": "white", "number": "4444", **{k: str(v) for k, v in ABC.items()}},
                "there is no cook 4444",
            ),
            ("titrations", {"liquor": "white", "a_ml": "x"}, "a_ml is 'x', which is not a number"),
            ("titrations", {"liquor": "white", **{k: str(v) for k, v in ABC.items()}, "b_ml": "20"}, "must not fall"),
            ("gauges", {"number": "4444", "temperature_c": "160"}, "there is no cook 4444"),
            ("gauges", {"number": "1187", "temperature_c": "160"}, "is before the last reading"),
        ):
            with self.subTest(table, row=row):
                self.assertIn(words, self.faults(COOK_TABLES[table], **{"at": at, **row}))
        self.assertFalse(Result.objects.exists() or LiquorTest.objects.exists())

    def test_gauges_read_by_hand_come_in_and_go_out_alike(self):
        self.charge_it()
        self.log("steam", 16)
        self.hold_clock(40)
        rows = [
            {
                "number": "1190",
                "at": (NOW + timedelta(minutes=minutes)).isoformat(),
                "temperature_c": celsius,
                "pressure_kpa_g": kpa,
            }
            for minutes, celsius, kpa in ((25, "110.5", "210.0"), (35, "121.0", ""))
        ]
        self.assertIn("900", self.faults(COOK_TABLES["gauges"], **{**rows[0], "temperature_c": "900"}))
        self.assertEqual(keep_some(COOK_TABLES["gauges"], self.world, self.people["cook"], rows, "k", 0), 2)
        kept = [
            {name: "" if value is None else str(value) for name, value in row.items()}
            for row in COOK_TABLES["gauges"].rows(self.world)
        ]
        self.assertEqual(kept, rows)


class RowsOfMoves(Rows, DeskCase):
    GOOD = {
        "words": "shower of the wood washer",
        "station": "wash",
        "to_value": "3600",
        "from_value": "3500",
        "unit": "L/min",
    }

    def setUp(self):
        super().setUp()
        self.good = {**self.GOOD, "at": (NOW - timedelta(minutes=20)).isoformat()}

    def test_a_row_that_cannot_be_is_told_why(self):
        for wrong, words in (
            ({"at": NOW.replace(year=2126).isoformat()}, "in the future"),
            ({"at": (NOW - timedelta(days=400)).isoformat()}, "days ago"),
            ({"tag": "none_such"}, "there is no tag 'none_such' on this line"),
            ({"station": "attic"}, "there is no station 'attic': yard,"),
            ({"to_value": "much"}, "to_value is 'much', which is not a number"),
            ({"to_value": "1e11"}, "is no setting"),
            ({"words": " "}, "say what was set"),
        ):
            with self.subTest(wrong):
                self.assertIn(words, self.faults(MOVE_TABLES["moves"], **{**self.good, **wrong}))
        self.assertFalse(Move.objects.exists())

    def test_moves_come_in_with_what_is_expected_of_them_and_go_out_alike(self):
        tag = "brown_cons"
        rows = [
            self.good,
            {**self.good, "tag": tag, "effect": "-0.2", "settled_min": "30.0", "text": "thick", "to_value": "3700.0"},
            {**self.good, "tag": tag, "to_value": "3800.0"},
        ]
        self.assertEqual(keep_some(MOVE_TABLES["moves"], self.world, self.people["engineer"], rows, "k", 0), 3)
        plain, expecting, of_none = Move.objects.order_by("pk")
        self.assertEqual((plain.tag, plain.expected, plain.from_value), ("", {}, 3500.0))
        self.assertEqual(
            expecting.expected,
            {"effect": -0.2, "dead_min": 3.0, "taus_min": [9.0], "first_min": 18.0, "settled_min": 30.0},
        )
        self.assertEqual(of_none.tag, "")  # nothing is expected of it, so nothing is followed
        out = list(MOVE_TABLES["moves"].rows(self.world))
        self.assertEqual([row["to_value"] for row in out], [3600.0, 3700.0, 3800.0])
        self.assertEqual(
            (out[1]["tag"], out[1]["effect"], out[1]["settled_min"], out[1]["text"]), (tag, -0.2, 30.0, "thick")
        )

    def test_the_first_row_at_fault_stops_a_file_and_nothing_of_it_is_kept(self):
        rows = [self.good, {**self.good, "station": "attic"}]
        with self.assertRaises(ValidationError) as caught:
            keep_some(MOVE_TABLES["moves"], self.world, self.people["engineer"], rows, "k", 0)
        self.assertIn("row 3: there is no station 'attic'", caught.exception.messages[0])
        self.assertIn("nothing was imported", caught.exception.messages[0])
        self.assertFalse(Move.objects.exists() or Record.objects.exists())

    def test_a_long_file_is_kept_in_pieces_and_says_what_was_kept_before(self):
        rows = [{**self.good, "to_value": str(3600 + at)} for at in range(4)] + [{**self.good, "station": "attic"}]
        with patch("desk.exchange.tables.WHOLE", 3), patch("desk.exchange.tables.PIECE_S", -1.0):
            done = 0
            for kept in (1, 2, 3, 4):
                done = keep_some(MOVE_TABLES["moves"], self.world, self.people["engineer"], rows, "k", done)
                self.assertEqual((done, Move.objects.count()), (kept, kept))
            with self.assertRaises(ValidationError) as caught:
                keep_some(MOVE_TABLES["moves"], self.world, self.people["engineer"], rows, "k", done)
        self.assertIn("row 6:", caught.exception.messages[0])
        self.assertIn("were kept before", caught.exception.messages[0])
        again = keep_some(MOVE_TABLES["moves"], self.world, self.people["engineer"], rows[:4], "k", 0)  # sent twice
        self.assertEqual((again, Move.objects.count()), (4, 4))


class Limits(SimpleTestCase):
    def test_what_a_file_may_hold_is_less_than_a_process_can_bear(self):
        self.assertLess(reading.MOST_OF_A_PART * 5, reading.MOST_UNPACKED + 1)
