"""Every form of the desk, refused: what was typed is still there, and still there past the refresh."""

from dataclasses import dataclass

from desk.floor.models import OpenPoint, Order, Record, Stop, Withdrawal
from desk.stations.cook.models import Charge, LiquorTest, Result, Step
from desk.stations.yard.models import BlendPlan, Classification, Lot, Op, Trip
from tests.browser.base import NOW, BrowserCase

KEPT = (
    Record,
    Order,
    Charge,
    Step,
    Result,
    LiquorTest,
    Lot,
    Op,
    Classification,
    BlendPlan,
    OpenPoint,
    Stop,
    Withdrawal,
    Trip,
)


@dataclass(frozen=True)
class Refused:
    """A form filled so that it must be refused; `form` is the tail of its address."""

    page: str
    form: str
    typed: dict[str, str]
    who: str = "achterberg"


FORMS = (
    Refused("order/", "order/accept/", {"tonnes": "900", "share_wood": "47.5"}),
    Refused("log/", "log/note/", {"text": "n" * 501}),
    Refused("at/screen/", "log/note/", {"text": "n" * 501}),
    Refused("at/yard/", "yard/trip/", {"detector": "Drum infeed", "find": "Bolt", "lot": "R-1", "stopped_min": "soup"}),
    Refused(
        "yard/lots/", "yard/lots/receive/", {"number": "R-77", "gross_t": "heavy", "tare_t": "16.5", "pith_pct": "9"}
    ),
    Refused("yard/pile/pile_c/", "yard/pile/pile_c/draw/", {"bdt": "99999", "hours": "2.5"}),
    Refused("yard/pile/deck/", "yard/pile/deck/draw/", {"bdt": "99999", "hours": "2.5"}),
    Refused("yard/pile/pile_c/", "yard/pile/pile_c/survey/", {"length_m": "long", "width_m": "21", "height_m": "8"}),
    Refused("yard/chips/", "yard/chips/classify/", {"sample_g": "5000", "overthick": "much", "fines": "12.5"}),
    Refused("yard/blend/", "yard/blend/accept/", {"hours": "900"}),
    Refused("cook/charge/", "cook/charge/plan/", {"liquor_to_wood": "2.1", "planned_at": "14:40"}, who="brandt"),
    Refused("cook/liquor/", "cook/liquor/take/", {"a_ml": "40", "b_ml": "30", "c_ml": "20", "sample_ml": "5"}),
    Refused("cook/done/", "cook/done/take/", {"number": "1186", "kappa": "seventeen", "yield_pct": "52.5"}),
    Refused("cook/relation/", "cook/relation/accept/", {"why": " "}),
    Refused("cook/1187/", "cook/1187/blow/", {"at": "25:99"}, who="brandt"),
    Refused("witness/brown_cons/", "witness/brown_cons/trim/", {"by": "nine", "why": "five pads"}, who="orr"),
    Refused("hand-over/", "hand-over/open/", {"text": "gas test at the blow tank", "until": "25:10"}, who="orr"),
    Refused("hand-over/", "hand-over/stop/", {"cause": "pump", "from_at": "13:00", "to_at": "12:00"}, who="orr"),
    Refused("cook/1187/", "cook/1187/step/", {"kind": "sample", "residual_kg_per_m3_as_naoh": "8 or so"}, who="vale"),
)


def corrections():
    """Return the forms that correct something, by what the demonstration holds."""
    lot = Lot.objects.filter(answer="accept").latest("pk")
    sample = Classification.objects.filter(source="feed").latest("at")
    op = Op.objects.filter(pile="pile_c", kind="draw").latest("pk")
    reading = Record.objects.filter(kind="reading", tag="brown_cons").latest("pk")
    test = LiquorTest.objects.filter(kind="white").latest("at")
    liquor = Step.objects.get(number=1187, kind="liquor")
    result = Result.objects.latest("at")
    order = Order.objects.latest("from_at")
    point = OpenPoint.objects.filter(kind="permit").latest("pk")
    trip = Trip.objects.latest("at")
    return (
        Refused("order/", f"order/{order.pk}/withdraw/", {"why": " "}, who="sundby"),
        Refused("hand-over/", f"points/{point.pk}/close/", {"why": " "}, who="orr"),
        Refused("hand-over/", f"points/{point.pk}/renew/", {"until": "25:10", "owner": "M. Orr"}, who="orr"),
        Refused("at/yard/", f"yard/trip/{trip.pk}/take-back/", {"why": " "}),
        Refused(
            f"yard/lots/{lot.number}/", f"yard/lots/{lot.number}/correct/", {"gross_t": "heavy", "why": "the scale"}
        ),
        Refused("yard/chips/?source=feed", f"yard/chips/{sample.pk}/correct/", {"sample_g": "a lot", "why": "spilt"}),
        Refused("yard/pile/pile_c/", "yard/pile/pile_c/undo/", {"op": str(op.pk), "why": " "}),
        Refused(
            f"log/{reading.pk}/correct/", f"log/{reading.pk}/correct/", {"value": "3,5 or so", "reason": "the pad"}
        ),
        Refused("cook/liquor/", f"cook/liquor/{test.pk}/correct/", {"a_ml": "none", "why": "read again"}),
        Refused(
            "cook/1187/",
            f"cook/1187/step/{liquor.pk}/correct/",
            {"strength_kg_per_m3_as_naoh": "105", "sulphidity_pct": "620", "why": "meter"},
            who="brandt",
        ),
        Refused(
            f"cook/done/?number={result.number}", "cook/done/take/", {"number": str(result.number), "kappa": "18.5"}
        ),
    )


class RefusedForms(BrowserCase):
    def send(self, one):
        """Fill the form whatever the browser would say to it, and send it."""
        self.go(f"/live/{one.page}")
        with self.page.expect_navigation():
            self.fill_and_send(one)

    def fill_and_send(self, one):
        self.page.evaluate(
            """([tail, typed]) => {
                const forms = [...document.querySelectorAll("#main form[method=post]")].filter((form) => form.action.endsWith(tail));
                const form = forms.find((form) => ["kind", "op"].every((name) => !typed[name] || form.elements[name].value === typed[name]));
                for (const [name, value] of Object.entries(typed)) {
                    const held = form.elements[name];
                    if (held.type === "hidden") continue;
                    for (const field of held instanceof RadioNodeList ? held : [held]) {
                        if (field.type === "radio") field.checked = field.value === value; else field.value = value;
                    }
                }
                for (const box of form.querySelectorAll("input[name=minded]")) box.checked = true;
                form.noValidate = true;
                HTMLFormElement.prototype.submit.call(form);
            }""",
            [one.form, one.typed],
        )

    def found(self, one):
        """Return what the form holds now of what was typed."""
        return self.page.evaluate(
            """([tail, typed]) => {
                const forms = [...document.querySelectorAll("#main form[method=post]")].filter((form) => form.action.endsWith(tail));
                const form = forms.find((form) => ["kind", "op"].every((name) => !typed[name] || form.elements[name].value === typed[name]));
                return Object.fromEntries(Object.keys(typed).map((name) => [name, form?.elements[name]?.value ?? null]));
            }""",
            [one.form, one.typed],
        )

    def test_what_was_typed_stays_past_the_refresh(self):
        self.page.clock.install(time=NOW)
        named, who = set(), ""
        for one in sorted((*FORMS, *corrections()), key=lambda one: one.who):
            with self.subTest(one.form, page=one.page):
                if one.who != who:
                    who = one.who
                    self.sign_in(who)
                before = [model.objects.count() for model in KEPT]
                self.send(one)
                self.assertEqual(self.page.locator("#main [role=alert]").count() > 0, True, "it says why")
                self.assertEqual([model.objects.count() for model in KEPT], before)
                self.assertEqual(self.found(one), one.typed)
                marked = self.page.locator("#main [aria-invalid=true]")
                if marked.count():
                    self.assertEqual(marked.evaluate("field => field === document.activeElement"), True)
                    named.add(one.form)
                self.refresh(pull="")  # by its own clock
                self.assertEqual(self.found(one), one.typed)
                self.assertGreater(len(self.page.locator("#main").inner_text()), 200)
        self.assertGreater(len(named), 8, f"the field at fault is in focus: {named}")
