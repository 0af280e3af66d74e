"""The yard worked as its people work it: three lots from the gate to the feed, trips, knives, chips, blend, files."""

from pathlib import Path
from tempfile import TemporaryDirectory

from django.db.models import Sum
from playwright.sync_api import expect

from desk.floor.models import Record, World
from desk.floor.state import State
from desk.stations.yard.models import BlendPlan, Classification, Holding, Lot, Movement
from tests.browser.base import BrowserCase
from tests.desk.base import NOW


class GateToFeed(BrowserCase):
    """A log lot, a sawmill-chip lot and a bagasse lot, each from the gate to what runs to the cook."""

    def setUp(self):
        super().setUp()
        self.sign_in("orr")

    def clear(self, pile):
        """Survey a pile as empty, so that the lot under test is the next to be drawn."""
        self.go(f"/live/yard/pile/{pile}/")
        self.page.get_by_label("or mass, BDt").fill("0")
        self.page.get_by_role("button", name="Correct the book").click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("is empty")

    def receive(self, ticket="", **fields):
        """Fill what the gate did not, watch the sheet work itself out, receive it."""
        self.go(f"/live/yard/lots/{'?ticket=' + ticket if ticket else ''}")
        for label, value in fields.items():
            self.page.get_by_label(label.replace("_", " "), exact=False).first.fill(value)
        expect(self.page.locator("#weighed")).to_contain_text("BDt in")
        self.page.get_by_role("button", name="Receive it").click()
        heading = self.page.get_by_role("heading", level=1)
        expect(heading).to_contain_text("accepted")
        return Lot.objects.latest("pk")

    def draw(self, pile, bdt, hours="4"):
        self.go(f"/live/yard/pile/{pile}/")
        self.page.get_by_label("or bone-dry, BDt").first.fill(f"{bdt:.2f}")
        self.page.get_by_label("Over the last, h").fill(hours)
        self.page.get_by_role("button", name="Book the").click()
        expect(self.page.get_by_role("table").first).to_contain_text(f"{bdt:.1f} BDt")

    def balance(self, lot):
        """Read the lot's own balance off its page: what came is what went and what lies there."""
        self.go(f"/live/yard/lots/{lot.number}/")
        rows = self.page.get_by_role("table", name="The lot's balance").get_by_role("row").all()
        values = [float(row.get_by_role("cell").last.inner_text().removesuffix(" BDt")) for row in rows]
        self.assertAlmostEqual(values[0], sum(values[1:]), delta=0.03)
        return values

    def assert_everything_closes(self):
        booked = Movement.objects.exclude(pile="boiler").aggregate(sum=Sum("bdt"))["sum"]
        self.assertAlmostEqual(booked, Holding.objects.aggregate(sum=Sum("bdt"))["sum"], places=3)
        self.assertLess(State(World.objects.get(slug="live"), NOW).result.closure_frac, 1e-9)

    def test_logs_through_the_drum_and_the_chippers(self):
        self.clear("deck")
        self.clear("pile_b")
        lot = self.receive("51000", Bark="11.4", Grit="0.2")
        self.assertEqual((lot.number, lot.material, lot.pile), ("R-51000", "alder_logs", "deck"))
        self.go("/live/yard/pile/deck/")
        self.page.get_by_label("Onto").select_option("pile_b")
        self.draw_here(15)
        self.draw("pile_b", 9)
        came, fed, boiler, *_ = self.balance(lot)
        self.assertAlmostEqual(came, lot.bdt, delta=0.01)
        self.assertAlmostEqual(fed, 9, delta=0.01)
        self.assertAlmostEqual(boiler, 15 * (1 - 0.975 * (1 - 0.114)), delta=0.02)
        expect(self.page.get_by_role("link", name="1187", exact=True)).to_be_visible()
        self.assert_everything_closes()

    def draw_here(self, bdt):
        self.page.get_by_label("or bone-dry, BDt").first.fill(str(bdt))
        self.page.get_by_role("button", name="Book the chip run").click()
        expect(self.page.get_by_role("table").first).to_contain_text(f"Chipped {bdt:.1f} BDt")

    def test_sawmill_chips_at_a_deduction(self):
        self.clear("pile_c")
        self.go("/live/yard/lots/")
        page = self.page
        page.get_by_label("Lot number").fill("S-70001")
        page.get_by_label("Ticket").fill("")
        page.get_by_label("What it is").select_option("alder_chips")
        page.get_by_label("Gross, t").fill("16,2")
        page.get_by_label("Tare, t").fill("49.6")
        sheet = page.locator("#weighed")
        expect(sheet).to_contain_text("Tare 49.6 t is not below gross 16.2 t")
        page.get_by_label("Gross, t").fill("49,6")
        page.get_by_label("Tare, t").fill("16.2")
        page.get_by_label("Moisture of each sample").fill("44.1 48.6")
        expect(sheet).to_contain_text("The replicates differ by 4.5 points")
        page.get_by_label("Moisture of each sample").fill("47.1 47.6 47.3")
        page.get_by_label("Bark, %").fill("1.4")
        page.get_by_label("Fines, %").fill("1.2")
        expect(sheet).to_contain_text("Accept at 1.6 % off: bark 1.4 %, above 1 %")
        page.get_by_role("button", name="Receive it").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text(
            "Lot S-70001, alder sawmill chips, 17.6 BDt, accepted at a deduction. 17.6 BDt of it lies in Pile C."
        )
        lot = Lot.objects.get(number="S-70001")
        self.draw("pile_c", 12, "3")
        came, fed, _, lost, left = self.balance(lot)
        self.assertAlmostEqual(fed, 12, delta=0.01)
        self.assertAlmostEqual(left, came - 12 - lost, delta=0.03)
        # Through the belt to the cook in the digester, and back from its page's number.
        page.get_by_role("link", name="1187", exact=True).click()
        expect(page).to_have_url(self.live_server_url + "/live/cook/1187/")
        self.assert_everything_closes()

    def test_bagasse_by_barge(self):
        self.clear("cane_pile")
        lot = self.receive("50999", Pith="28.4", Grit="3.2")
        self.assertEqual((lot.material, lot.pile), ("bagasse_barge", "cane_pile"))
        self.draw("cane_pile", 47.3, "8")
        _, fed, *_ = self.balance(lot)
        self.assertAlmostEqual(fed, 47.3, delta=0.01)
        self.go("/live/yard/cane/")
        expect(self.page.get_by_role("heading", level=1)).to_contain_text(
            "Bagasse 6.3 BDt/h in, sugar in it; 4.0 of fibre"
        )
        self.page.get_by_label("Pith taken out, moist stage").fill("0.3")
        expect(self.page.locator("#set-result-depith-depith")).to_contain_text("short of the 6 the cook wants")
        self.assert_everything_closes()

    def test_a_refused_lot_goes_nowhere(self):
        self.go("/live/yard/lots/?ticket=51000")
        self.page.get_by_label("Bark, %").fill("24")
        expect(self.page.locator("#weighed")).to_contain_text(
            "Refuse: bark 24.0 %, above the 20 % at which a lot is refused"
        )
        self.page.get_by_role("button", name="Receive it").click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("refused")
        expect(self.page.get_by_text("It was never laid down.")).to_be_visible()

    def test_a_pile_is_not_drawn_below_nothing(self):
        self.go("/live/yard/pile/pile_d/")
        self.page.get_by_label("or bone-dry, BDt").first.fill("900")
        self.page.get_by_role("button", name="Book the draw").click()
        expect(self.page.get_by_role("alert")).to_contain_text("900.0 BDt is more than the")
        expect(self.page.get_by_label("or bone-dry, BDt").first).to_have_value("900")


class Corrected(BrowserCase):
    """What was booked wrongly is put right on the screen, with why, and both stay readable."""

    def setUp(self):
        super().setUp()
        self.sign_in("orr")

    def test_a_draw_is_taken_back(self):
        page = self.page
        self.go("/live/yard/pile/pile_b/")
        page.get_by_label("or bone-dry, BDt").first.fill("12")
        page.get_by_role("button", name="Book the draw").click()
        row = page.get_by_role("row").filter(has_text="Drawn 12.0 BDt").first
        row.get_by_text("Take it back").click()
        row.get_by_label("Why").fill("meant pile A")
        row.get_by_role("button", name="Take back 12.0 BDt").click()
        expect(page.locator("tr.struck")).to_contain_text("Drawn 12.0 BDt")
        expect(page.get_by_role("table").first).to_contain_text("Taken back 12.0 BDt")
        self.assertTrue(Record.objects.filter(text__contains="meant pile A").exists())

    def test_a_pile_is_surveyed_by_its_sides(self):
        page = self.page
        self.go("/live/yard/pile/pile_a/")
        page.get_by_label("Length, m").fill("20")
        page.get_by_label("Width, m").fill("26")
        page.get_by_label("Height, m").fill("9")
        page.get_by_role("button", name="Correct the book").click()
        expect(page.get_by_role("alert")).to_contain_text("length 20 m is less than width 26 m")
        expect(page.get_by_label("Length, m")).to_have_value("20")
        page.get_by_label("Length, m").fill("60")
        page.get_by_role("button", name="Correct the book").click()
        volume = 0.5 * 26 * 9 * 34 + 3.14159265 / 12 * 26**2 * 9
        expect(page.get_by_role("heading", level=1)).to_contain_text(
            f"holds {volume * 412 * 0.38 * 1.1 / 1000:.0f} BDt"
        )

    def test_a_sample_is_superseded(self):
        page = self.page
        self.go("/live/yard/chips/")
        page.get_by_text("Correct this sample").click()
        form = page.locator("#fix-class")
        form.get_by_role("button", name="Supersede it").click()
        expect(page.get_by_role("alert")).to_contain_text("say why")
        form.get_by_label("Why").fill("scale was not zeroed")
        form.get_by_role("button", name="Supersede it").click()
        expect(page.get_by_role("alert")).to_have_count(0)
        self.assertEqual(Classification.objects.exclude(supersedes=None).count(), 1)

    def test_a_lot_is_superseded_and_keeps_its_old_version(self):
        page = self.page
        lot = Lot.objects.filter(pile="pile_c").order_by("-received_at").first()
        self.go(f"/live/yard/lots/{lot.number}/")
        page.get_by_label("Gross, t").fill(f"{lot.gross_t + 1:.2f}")
        page.get_by_label("Why").fill("misread ticket")
        page.get_by_role("button", name="Supersede it").click()
        expect(page.get_by_text("misread ticket").first).to_be_visible()
        newest = Lot.objects.get(number=lot.number, version=2)
        self.assertAlmostEqual(newest.bdt - lot.bdt, 1 - lot.moisture_frac, places=2)
        self.assertEqual(Lot.objects.get(number=lot.number, version=1).gross_t, lot.gross_t)

    def test_one_who_may_only_look_finds_no_way_to_write(self):
        page = self.new_page()
        self.sign_in("lindqvist", page)
        page.goto(self.live_server_url + "/live/yard/pile/pile_b/")
        expect(page.get_by_text("Take it back")).to_have_count(0)
        expect(page.get_by_role("button", name="Book the draw")).to_have_count(0)
        expect(page.get_by_text("It takes a").first).to_be_visible()


class TheDay(BrowserCase):
    def setUp(self):
        super().setUp()
        self.sign_in("orr")

    def test_a_trip_in_seconds_and_a_lot_released(self):
        page = self.page
        self.go("/live/at/yard/")
        before = Record.objects.filter(tag="trip").count()
        page.get_by_role("radio", name="Chipper infeed", exact=True).check()
        page.get_by_role("radio", name="Chain", exact=True).check()
        page.get_by_label("Stopped").fill("7")
        page.get_by_role("button", name="Log the trip").click()
        expect(page.get_by_text("Metal trip, chipper infeed: chain; stopped 7 min").first).to_be_visible()
        self.assertEqual(Record.objects.filter(tag="trip").count(), before + 1)
        # Seven in the shift are more than usual: the card, the rail and the ribbon say so.
        page.get_by_role("radio", name="Drum infeed", exact=True).check()
        page.get_by_role("radio", name="Bolt", exact=True).check()
        page.get_by_role("button", name="Log the trip").click()
        expect(page.locator(".advice-act")).to_contain_text("Quarantine the lot and find the broken part")
        expect(page.get_by_role("complementary", name="Next up")).to_contain_text("Metal trips this shift")
        lot = page.locator("#set-yard .warn a").first.inner_text()
        self.go(f"/live/yard/lots/{lot}/")
        page.get_by_label("What was found and mended").fill("loader tooth, welded")
        page.get_by_role("button", name="Release it").click()
        expect(page.get_by_text("Set aside: two metal trips")).to_have_count(0)

    def test_knives_in_order_with_the_lock_out_first(self):
        page = self.page
        self.go("/live/yard/chips/")
        page.get_by_role("button", name="Chipper 1: log “stopped”").click()
        expect(page.get_by_text("The disc coasts about 25 min")).to_be_visible()
        button = page.get_by_role("button", name="Chipper 1: log “stand-still seen")
        for words in ("The disc stands still", "Isolated, my lock", "Start tried"):
            page.get_by_label(words).check()
        button.click()
        expect(page.get_by_role("alert")).to_contain_text("was stopped 0 min ago and coasts 25 min")
        self.assertEqual(Record.objects.filter(tag="knife", at__gte=NOW).count(), 1)

    def test_a_sample_is_entered_and_drawn_against_the_envelope(self):
        page = self.page
        self.go("/live/yard/chips/?source=chipper_2")
        masses = {
            "Oversize": "25",
            "Overthick": "380",
            "Large accepts": "3000",
            "Small accepts": "1100",
            "Pins": "220",
            "Fines": "60",
        }
        page.get_by_label("Sample, g").fill("5400")
        for label, mass in masses.items():
            page.get_by_label(f"{label}, g").fill(mass)
        page.get_by_role("button", name="Keep the sample").click()
        expect(page.get_by_role("alert")).to_contain_text("11.4 % apart")
        expect(page.get_by_label("Overthick, g")).to_have_value("380")
        page.get_by_label("Sample, g").fill("4800")
        page.get_by_role("button", name="Keep the sample").click()
        expect(page.get_by_role("link", name="Overthick: 7.9 %, open the working")).to_be_visible()
        self.assertEqual(Classification.objects.filter(source="chipper_2", at=NOW).count(), 1)
        page.get_by_role("link", name="Overthick: 7.9 %, open the working").click()
        expect(page.locator("#float")).to_contain_text("SCAN-CM 40")

    def test_the_blend_follows_its_limits_and_is_accepted(self):
        page = self.page
        self.go("/live/yard/blend/")
        feed = page.locator("#blended")
        expect(feed).to_contain_text("What binds")
        page.get_by_label("Mean age, most").fill("0.5")
        expect(feed).to_contain_text("keeps to mean age 0.5 d")
        expect(page.get_by_role("button", name="Accept the blend")).to_have_count(0)
        page.get_by_label("Mean age, most").fill("42")
        expect(feed).to_contain_text("days old in the mean")
        oldest = self.off_middle()
        page.get_by_label("Steadiest moisture").check()
        expect(feed).not_to_contain_text(f"moisture {oldest} %")
        self.assertLessEqual(abs(float(self.off_middle()) - 48), abs(float(oldest) - 48))
        page.get_by_role("button", name="Accept the blend").click()
        expect(page.get_by_text("Accepted 10 Mar 14:30 by M. Orr")).to_be_visible()
        self.assertEqual(BlendPlan.objects.get().aim, "steady")
        expect(page.get_by_role("complementary", name="Next up")).to_contain_text("Receive 2 loads at the gate")

    def off_middle(self):
        """Read the moisture of the blend."""
        return self.page.locator("#blended .set-say").first.inner_text().rpartition("moisture ")[2].removesuffix(" %.")

    def test_a_file_is_looked_at_before_it_is_kept(self):
        page = self.page
        heading = "source,at,sample_g,oversize_g,overthick_g,large_accepts_g,small_accepts_g,pins_g,fines_g\n"
        with TemporaryDirectory() as folder:
            path = Path(folder) / "chips.csv"
            path.write_text(
                f"{heading}feed,2026-03-09T02:10,4800,25,180,3200,1100,220,60\nfeed,2026-03-09T03:10,9000,25,180,3200,1100,220,60\n"
            )
            self.go("/live/yard/files/")
            page.get_by_label("Records").select_option("classes")
            page.get_by_label("File").set_input_files(path)
            page.get_by_role("button", name="Look at it first").click()
            expect(page.get_by_role("heading", level=1)).to_contain_text("1 of 2 rows cannot be kept.")
            expect(page.get_by_role("button", name="Import all 2 rows")).to_be_disabled()
            path.write_text(f"{heading}feed,2026-03-09T02:10,4800,25,180,3200,1100,220,60\n")
            page.get_by_role("button", name="Leave it").click()
            page.get_by_label("Records").select_option("classes")
            page.get_by_label("File").set_input_files(path)
            page.get_by_role("button", name="Look at it first").click()
            page.get_by_role("button", name="Import all 1 rows").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("1 records were imported.")

    def test_debarking_is_worked_out_as_it_is_typed(self):
        self.go("/live/yard/chips/")
        answer = self.page.locator("#set-result-debark-drum")
        expect(answer).to_contain_text("Logs stay")
        self.page.get_by_label("Logs fed, solid on bark").fill("60")
        expect(answer).to_contain_text("usual is 15 to 60 min")
        self.page.get_by_label("Filling").fill("95")
        expect(answer).to_contain_text("outside more than 0 to 80 %")
        expect(self.page.get_by_label("Filling")).to_have_value("95")

    def test_a_lot_is_found_by_its_number(self):
        self.go("/live/")
        lot = Lot.objects.order_by("-received_at").first()
        self.page.keyboard.press("Space")
        self.page.keyboard.type(lot.number.lower())
        self.page.get_by_role("link", name=f"Lot {lot.number}").click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text(f"Lot {lot.number}")
