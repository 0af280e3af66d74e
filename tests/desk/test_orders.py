"""Orders to come: listed, withdrawn with why before they begin, and asked about where two begin together."""

from datetime import timedelta

from django.utils import timezone

from desk.floor.models import Order, Withdrawal, World
from desk.floor.next_up import next_up
from desk.floor.state import State
from desk.floor.station import stations
from desk.mill.services import approve_definition
from desk.screens.furnish import tones
from tests.desk.base import NOW, DeskCase
from tests.line import BENCH, tidewater_bench


class Coming(DeskCase):
    def coming(self, hours=2, key="c"):
        grade = State(self.world, NOW).line.grades[1]
        return Order.objects.create(
            world=self.world,
            grade=grade.id,
            reel_t_per_h=grade.tonnes_per_h,
            shares=grade.shares,
            from_at=NOW + timedelta(hours=hours),
            accepted_by=self.people["lead"],
            form_key=key,
        )

    def test_the_page_opens_on_the_next_order_and_knows_it_is_accepted(self):
        self.sign_in("lead")
        self.assertEqual(self.client.get("/live/order/").context["tried"].grade_id, "chart_cream")
        order = self.coming(hours=30)
        page = self.client.get("/live/order/")
        self.assertEqual(page.context["tried"].grade_id, order.grade)
        self.assertContains(page, "This order is accepted already")
        self.assertEqual(page.context["clash"], "")
        runs = self.client.get("/live/order/", {"of": Order.objects.get(form_key="first").pk})
        self.assertEqual(runs.context["tried"].grade_id, "chart_cream")
        self.assertEqual(self.client.get("/live/order/", {"of": "nothing"}).status_code, 200)
        self.assertSays(page, '<span class="soft small">out</span>')

    def test_one_days_ahead_says_its_day_and_reads_as_it_is_said(self):
        """Sent back as it stands it is the same order still: four days on, and over the turn of the year."""
        self.sign_in("lead")
        for hours in (30, 96, 24 * 45):
            with self.subTest(hours=hours):
                order = self.coming(hours=hours, key=f"in {hours}")
                page = self.client.get("/live/order/", {"of": order.pk})
                said = page.context["tried"].from_text
                self.assertEqual(said, f"{timezone.localtime(order.from_at):%d %b %H:%M}")
                form = {"grade": order.grade, "was_grade": order.grade, "tonnes": f"{order.reel_t_per_h:g}"}
                form |= {f"share_{name}": f"{100 * share:g}" for name, share in order.shares.items()}
                again = self.client.post("/live/order/try/", {**form, "from_at": said})
                self.assertEqual(again.context["tried"].from_at, order.from_at.replace(second=0, microsecond=0))
                self.assertSays(again, "This order is accepted already")

    def withdraw(self, order, why="the customer moved it", key="w"):
        return self.client.post(f"/live/order/{order.pk}/withdraw/", {"why": why, "form_key": key})

    def test_it_is_listed_and_leaves_board_and_rail_when_it_is_withdrawn(self):
        order = self.coming()
        self.sign_in("lead")
        self.assertSays(self.client.get("/live/order/"), "Withdraw it")
        self.assertTrue(any(item.what.startswith("Change to") for item in next_up(State(self.world, NOW))))
        self.assertEqual(self.withdraw(order).status_code, 302)
        self.assertFalse(any(item.what.startswith("Change to") for item in next_up(State(self.world, NOW))))
        self.assertEqual(len(State(self.world, NOW + timedelta(hours=3)).orders), 1)
        self.assertContains(self.client.get("/live/log/"), "the customer moved it")

    def test_pressed_twice_it_is_one_and_by_two_the_second_is_told(self):
        order = self.coming()
        self.sign_in("lead")
        self.withdraw(order)
        self.withdraw(order)
        self.assertEqual(Withdrawal.objects.count(), 1)
        self.sign_in("engineer")
        self.assertContains(self.withdraw(order, key="x"), "withdrew it at", status_code=422)

    def test_without_a_reason_or_the_role_or_once_it_runs_it_stands(self):
        order = self.coming()
        self.sign_in("lead")
        self.assertContains(self.withdraw(order, why=" "), "say why", status_code=422)
        running = Order.objects.get(form_key="first")
        self.assertContains(self.withdraw(running), "accept another order in its place", status_code=422)
        self.sign_in("operator")
        self.assertEqual(self.withdraw(order).status_code, 403)
        self.assertFalse(Withdrawal.objects.exists())

    def test_two_that_begin_together_are_asked_about(self):
        self.coming()
        self.sign_in("lead")
        grade = State(self.world, NOW).line.grades[0]
        form = {"grade": grade.id, "was_grade": grade.id, "tonnes": f"{grade.tonnes_per_h:g}", "from_at": "16:40"}
        form |= {f"share_{name}": f"{100 * share:g}" for name, share in grade.shares.items()}
        self.assertSays(self.client.post("/live/order/try/", form), "stands 10 min before it")
        self.assertNotContains(self.client.post("/live/order/try/", {**form, "from_at": "20:40"}), "stands")


class InAWorkshop(DeskCase):
    """Where a mill's tonnes would be noughts, an order is typed in the kilograms it is said in."""

    def setUp(self):
        version = approve_definition(BENCH.read_text(encoding="utf-8"), "E. Test")
        self.bench = World.objects.create(slug="bench", name="Bench", version=version)
        self.grade = tidewater_bench().grades[0]
        Order.objects.create(
            world=self.bench, grade=self.grade.id, reel_t_per_h=self.grade.tonnes_per_h, shares=self.grade.shares,
            from_at=NOW - timedelta(hours=2), accepted_by=self.people["lead"], form_key="bench",
        )  # fmt: skip
        self.sign_in("lead")

    def form(self, kilograms, **more):
        shares = {f"share_{name}": f"{100 * share:g}" for name, share in self.grade.shares.items()}
        return {
            "grade": self.grade.id, "was_grade": self.grade.id, "tonnes": kilograms, "from_at": "15:30", **shares, **more,
        }  # fmt: skip

    def test_it_opens_in_kilograms_and_keeps_what_they_come_to(self):
        page = self.client.get("/bench/order/")
        self.assertEqual(page.context["tried"].tonnes_text, f"{1000 * self.grade.tonnes_per_h:g}")
        self.assertContains(page, '<span\n      class="unit">kg/h</span>')
        self.client.post("/bench/order/accept/", self.form("0.5", form_key="half"))
        self.assertAlmostEqual(Order.objects.filter(world=self.bench).latest("pk").reel_t_per_h, 0.0005, 9)
        again = self.client.post("/bench/order/try/", self.form("0.5"))
        self.assertContains(again, "This order is accepted already")

    def test_what_cannot_be_is_refused_in_kilograms(self):
        answer = self.client.post("/bench/order/try/", self.form("-1"))
        self.assertContains(answer, "Kilograms is -1 kg/h. Allowed: more than 0, up to 1000 kg/h")
        self.assertEqual(answer.context["tried"].tonnes_text, "-1")

    def test_each_furnish_has_the_colour_of_its_family_by_whatever_name(self):
        self.assertContains(self.client.get("/bench/order/"), '<span class="swatch fill-wood">')
        self.assertEqual(
            tones(State(self.world, NOW)),
            {
                "wood": "fill-wood", "cane": "fill-cane", "recovered": "fill-recovered", "bales": "fill-bales",
                "cream_broke": "fill-broke", "white_broke": "fill-broke swatch-again",
            },
        )  # fmt: skip

    def test_a_mill_stays_with_its_tonnes(self):
        self.assertContains(self.client.get("/live/order/"), '<span\n      class="unit">t/h</span>')


class WithoutAShare(DeskCase):
    """An order may leave a pulp out: every page of the line opens still, whatever is off where nothing runs."""

    def test_every_page_opens(self):
        line = State(self.world, NOW).line
        grade = line.grades[0]
        self.enter("wash_loss", 40.0)
        for index, left_out in enumerate(name for name, share in grade.shares.items() if 0 < share < 1):
            rest = 1 - grade.shares[left_out]
            shares = {name: 0.0 if name == left_out else share / rest for name, share in grade.shares.items()}
            Order.objects.create(
                world=self.world, grade=grade.id, reel_t_per_h=grade.tonnes_per_h, shares=shares,
                from_at=NOW - timedelta(minutes=30 - index), accepted_by=self.people["lead"], form_key=left_out,
            )  # fmt: skip
            self.sign_in("engineer")
            state = State(self.world, NOW)
            for path in ("", "order/", *(f"at/{one.id}/" for one in line.stations)):
                with self.subTest(path, without=left_out):
                    self.assertIn(self.client.get(f"/live/{path}").status_code, (200, 302))
            for one in (one for one in stations() if one.serves(line)):
                for page in one.pages(state):
                    with self.subTest(page, without=left_out):
                        self.assertEqual(self.client.get(page).status_code, 200)
