"""Every page of the desk on mills whose ids it has never met: the shipped ones renamed, and one of the tests' own."""

import re
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory

from django.core.management import call_command

from desk.floor.models import World
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.floor.station import stations
from desk.mill.models import DefinitionVersion
from desk.mill.selectors import line_of
from desk.mill.services import approve_definition
from desk.people.models import Person
from standin.__main__ import write_history
from standin.plant import Plant
from stock.line.definition import DefinitionError
from stock.line.load import load_definition
from stock.line.story import story_beside
from tests.desk.base import NOW, DeskCase
from tests.line import BENCH, MILL
from tests.mills import TWO_LINES, as_text, raw_of, renamed
from tests.stock.test_any_file import slips

KEPT = "What you typed is kept"  # said of a refusal: on a page nobody typed into, its own numbers were refused
SCREENS = ("", "order/", "log/", "hand-over/", "hand-over/sheet.pdf", "methods/")


def addresses(state):
    """Yield every page of a line."""
    base = f"/{state.world.slug}/"
    yield from (base + screen for screen in SCREENS)
    yield from (f"{base}at/{station.id}/" for station in state.line.stations)
    yield from (f"{base}trend/{tag.id}/" for tag in state.line.tags)
    for station in stations():
        if station.serves(state.line):
            yield from station.pages(state)


class AnyMill(DeskCase):
    @classmethod
    def setUpTestData(cls):
        """Load the mills as the demonstration does."""
        with TemporaryDirectory() as name:
            folder = Path(name)
            cls.mills = [MILL, renamed(MILL, folder), BENCH, renamed(BENCH, folder), TWO_LINES]
            for mill in cls.mills:
                line = load_definition(mill)
                plant = Plant(line, 20, NOW.timestamp(), story_beside(mill, line))
                write_history(plant, folder / "past" / mill.stem, 2.0, 1)
            named = [f"--mill={mill}" for mill in cls.mills]
            call_command("load_demo", *named, history=folder / "past", anchor=NOW.timestamp(), stdout=StringIO())
        cls.worlds = list(World.objects.order_by("pk"))

    def test_every_page_opens_and_every_number_has_its_working(self):
        self.client.force_login(Person.objects.get(username="orr"))
        self.assertEqual(len(self.worlds), len(self.mills))
        for world in (self.worlds[1], self.worlds[3], self.worlds[4]):  # under their own names other tests open them
            state = State(world, NOW)
            links, leads = set(), set()
            own = {page: one.kind for one in stations() if one.serves(state.line) for page in one.pages(state)}
            for address in addresses(state):
                with self.subTest(address):
                    answer = self.client.get(address, follow=True)
                    self.assertEqual(answer.status_code, 200)
                    if not answer.streaming and "html" in answer["Content-Type"]:
                        self.assertNotContains(answer, KEPT)
                        links |= set(re.findall(r'hx-get="(/[^"]+/working/[^"]+)"', answer.content.decode()))
                        here = set(re.findall(rf'<a [^>]*href="(/{world.slug}/[^"?#]*)', answer.content.decode()))
                        files = {one for one in here if one.endswith("/files/")}
                        self.assertLessEqual(
                            files, {f"/{world.slug}/{own.get(address)}/files/"} if address in own else files
                        )
                        leads |= {one for one in here if not one.endswith("/working/")}  # opened below, each of its own
            self.assertTrue(links)
            for lead in sorted(leads - set(addresses(state))):
                with self.subTest(lead):
                    self.assertEqual(self.client.get(lead, follow=True).status_code, 200)
            for link in sorted(links):
                with self.subTest(link):
                    self.assertEqual(self.client.get(link.replace("&amp;", "&")).status_code, 200)

    def test_a_mill_under_other_names_asks_for_the_same(self):
        for ours, theirs in ((0, 1), (2, 3)):
            one, two = (State(self.worlds[index], NOW) for index in (ours, theirs))
            self.assertEqual(
                [(item.what, item.size, item.level) for item in next_up(one)],
                [(item.what, item.size, item.level) for item in next_up(two)],
            )
            self.assertEqual(
                [(card.rule, card.correction) for card in one.advice],
                [(card.rule, card.correction) for card in two.advice],
            )
        self.assertTrue(State(self.worlds[1], NOW).advice)

    def test_both_woods_stand_on_the_line(self):
        self.client.force_login(Person.objects.get(username="orr"))
        page = self.client.get(f"/{self.worlds[4].slug}/")
        for words in ("Pine", "Birch", "Bought pulp", "Pine tower", "Far chest"):
            self.assertContains(page, words)

    def test_a_station_a_mill_has_not_is_not_there_in_words(self):
        self.client.force_login(Person.objects.get(username="orr"))
        for address in (f"/{self.worlds[2].slug}/yard/lots/", f"/{self.worlds[2].slug}/at/yard/"):
            self.assertContains(self.client.get(address), "Tidewater Bench has no", status_code=404)


class NothingMeasured(DeskCase):
    """A line on its first day: no instrument has spoken, nothing is written."""

    def test_every_page_opens_and_says_so(self):
        self.sign_in("lead")
        for mill in (TWO_LINES, MILL, BENCH):
            version = approve_definition(mill.read_text(encoding="utf-8"), "E. Test")
            line = line_of(version)
            world = World.objects.create(slug=f"first-{mill.stem.replace('_', '-')}", name=line.mill, version=version)
            state = State(world, NOW)
            self.assertEqual(state.advice, [])
            for address in addresses(state):
                with self.subTest(address):
                    answer = self.client.get(address, follow=True)
                    self.assertEqual(answer.status_code, 200)
                    if not answer.streaming and "html" in answer["Content-Type"]:
                        self.assertNotContains(answer, KEPT)
            self.assertContains(self.client.get(f"/{world.slug}/"), "Nothing has been measured yet")


class WrittenByHand(DeskCase):
    """Mills in which one thing is other than it was: what is kept at all has pages that open."""

    MILLS = 4

    def test_every_page_of_what_stands_opens(self):
        self.sign_in("lead")
        opened = 0
        for index, (words, raw) in enumerate(slips(raw_of(TWO_LINES))):
            if opened == self.MILLS:
                break
            try:
                version = approve_definition(as_text(raw), "E. Test")
            except DefinitionError:
                continue
            opened += 1
            world = World.objects.create(slug=f"slip-{index}", name="Slip", version=version)
            for address in addresses(State(world, NOW)):
                with self.subTest(words, address=address):
                    self.assertEqual(self.client.get(address, follow=True).status_code, 200)
        self.assertEqual(opened, self.MILLS)

    def test_a_mill_whose_own_grade_cannot_be_met_says_why(self):
        raw = raw_of(MILL)
        next(unit for unit in raw["units"] if unit["id"] == "furnish_chest")["consistency_pct"] = 1.75
        version = approve_definition(as_text(raw), "E. Test")
        world = World.objects.create(slug="thin", name="Thin", version=version)
        self.sign_in("lead")
        for address in addresses(State(world, NOW)):
            with self.subTest(address):
                self.assertEqual(self.client.get(address, follow=True).status_code, 200)
        self.assertContains(self.client.get("/thin/order/"), "is set thicker than what comes to it")

    def test_what_has_not_one_solution_is_not_kept(self):
        raw, before = raw_of(TWO_LINES), DefinitionVersion.objects.count()
        raw["units"][17].pop("consistency_pct")
        with self.assertRaisesRegex(DefinitionError, "unknown flows but"):
            approve_definition(as_text(raw), "E. Test")
        self.assertEqual(DefinitionVersion.objects.count(), before)
