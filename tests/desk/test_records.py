"""Writing: what is kept, what is refused, and that nothing half-written remains."""

import json
from datetime import timedelta
from io import StringIO
from unittest.mock import patch

from django.core.exceptions import ValidationError
from django.core.management import CommandError, call_command
from django.db import IntegrityError, OperationalError, connection, transaction
from django.test import SimpleTestCase

from desk.floor.appending import AppendOnlyError
from desk.floor.guard import guarded
from desk.floor.models import HandOver, Order, Record, Sample
from desk.floor.points import MUST_SAY
from desk.floor.sealing import UNSEALED, canonical
from desk.floor.services import (
    AlreadyCorrectedError,
    NotAllowedError,
    correct,
    record_event,
    record_reading,
    store_samples,
)
from desk.floor.state import State
from desk.mill.models import DefinitionVersion
from desk.mill.services import approve_definition
from desk.people.models import FailedTry
from desk.stations.bleach.models import Rung
from desk.stations.wash.models import Round
from stock.errors import DomainError
from stock.line.definition import DefinitionError
from tests.desk.base import NOW, SECRET, DeskCase


class Sealed(SimpleTestCase):
    def test_a_row_is_sealed_by_its_columns_so_that_a_field_may_be_renamed(self):
        for row, column in ((Round(), "factor_t_per_odt"), (Rung(), "charge_kg_per_odt")):
            with self.subTest(column):
                said = json.loads(canonical(row))
                self.assertIn(column, said)
                self.assertEqual({field.column for field in row._meta.concrete_fields} - UNSEALED, set(said))


class Entry(DeskCase):
    def post(self, line, where="record", **more):
        return self.client.post(
            f"/live/entry/{where}/", {"line": line, "form_key": "k1", **more}, headers={"HX-Request": "true"}
        )

    def test_reading_the_line_writes_nothing(self):
        self.sign_in()
        answer = self.post("brown cons 3.66", "read")
        self.assertContains(answer, "0.06 above its band")
        self.assertContains(answer, "Open the dilution")
        self.assertEqual(self.record_count(), 0)

    def test_enter_records_once(self):
        person = self.sign_in()
        self.assertContains(self.post("wash loss wood 18.2"), "Recorded 14:30")
        self.post("wash loss wood 18.2")
        record = Record.objects.get()
        self.assertEqual((record.tag, record.value, record.by, record.level), ("wash_loss", 18.2, person, "ok"))

    def test_units_are_turned_into_the_tags_own(self):
        self.sign_in()
        self.post("digester 3 temp 331 F")
        self.assertAlmostEqual(Record.objects.get().value, 166.111, places=3)

    def test_an_earlier_moment_is_typed_with_it(self):
        self.sign_in()
        self.assertContains(self.post("wash loss wood 18.2 at 13:05", "read"), "taken at 13:05")
        self.post("wash loss wood 18.2 at 13:05")
        self.assertEqual(Record.objects.get().at, NOW.replace(hour=13, minute=5))

    def test_doubt_asks_and_takes_the_answer(self):
        self.sign_in("tester")
        self.assertContains(self.post("kappa 18"), "Which one?", status_code=422)
        self.post("kappa 18", chosen="kappa_cane")
        self.assertEqual(Record.objects.get().tag, "kappa_cane")

    def test_the_impossible_is_refused_by_name_and_kept_in_the_line(self):
        self.sign_in()
        for line, words in (
            ("brown cons 140", "Brown stock consistency cannot be 140 %"),
            ("brown flow -5", "cannot be -5 L/min"),
            ("brown cons much", "Nothing on this line is called"),
            ("brown cons", "Add the value"),
            ("x" * 3900, "200 is the most"),
            ("chip moisture 100", "cannot be 100 %"),
        ):
            with self.subTest(line[:20]):
                self.assertContains(self.post(line), words, status_code=422)
        self.assertContains(self.post("brown cons 3.5 23:59"), "in the future", status_code=422)
        self.assertContains(self.post("brown cons 3.5 at 25:61"), "is no time of day", status_code=422)
        self.assertEqual(self.record_count(), 0)

    def test_a_trainee_may_look_but_not_record(self):
        self.sign_in("trainee")
        self.assertContains(self.post("brown cons 3.5", "read"), "Your role may look, not record")
        self.assertContains(self.post("brown cons 3.5"), "that takes a", status_code=422)
        self.assertEqual(self.record_count(), 0)

    def test_it_finds_pages_and_methods(self):
        self.sign_in()
        self.assertContains(self.post("hand over", "read"), "/live/hand-over/")
        self.assertContains(self.post("dilution water", "read"), "/live/methods/dilution_water_l_per_min/")


class Services(DeskCase):
    def test_moments_that_cannot_be(self):
        for at in (NOW + timedelta(hours=1), NOW - timedelta(days=9)):
            with self.subTest(at), self.assertRaises(ValidationError) as caught:
                record_reading(self.world, self.people["tester"], "brown_cons", 3.5, at=at, form_key="x")
            self.assertIn("at", caught.exception.message_dict)
        self.assertEqual(self.record_count(), 0)

    def test_records_cannot_be_changed_or_removed(self):
        record = self.enter("brown_cons", 3.5)
        record.value = 9.9
        for change in (record.save, record.delete, Record.objects.all().delete, lambda: Record.objects.update(value=1)):
            with self.assertRaises(AppendOnlyError):
                change()
        self.assertEqual(Record.objects.get().value, 3.5)

    def test_no_path_round_the_models_changes_a_row(self):
        self.enter("brown_cons", 3.5)
        for verb in ("UPDATE {} SET id = id", "DELETE FROM {}"):
            for model in (Record, Order):
                table = model._meta.db_table
                refused = self.assertRaisesRegex(IntegrityError, "written once")
                with self.subTest(table), connection.cursor() as cursor, refused, transaction.atomic():
                    cursor.execute(verb.format(table))
        with connection.cursor() as cursor:
            cursor.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'")
            triggers = {name for (name,) in cursor.fetchall()}
        for model in guarded():
            self.assertIn(f"{model._meta.db_table}_no_update", triggers)
            self.assertIn(f"{model._meta.db_table}_no_delete", triggers)

    def test_verify_names_the_first_entry_that_is_not_what_was_sealed(self):
        out = StringIO()
        kept = [self.enter("brown_cons", 3.4 + index / 100, minutes_ago=30 - index) for index in range(4)]
        call_command("verify", stdout=out)
        self.assertIn("Hallin Reach: 4 entries, the chain holds", out.getvalue())
        with connection.cursor() as cursor:
            cursor.execute("DROP TRIGGER floor_record_no_update")
            cursor.execute("UPDATE floor_record SET value = 9 WHERE id = %s", [kept[1].pk])
        with self.assertRaisesRegex(CommandError, f"entry {kept[1].pk}, .* is not what was sealed"):
            call_command("verify", stdout=out)
        with connection.cursor() as cursor:
            cursor.execute("UPDATE floor_record SET value = %s WHERE id = %s", [kept[1].value, kept[1].pk])
            cursor.execute("DROP TRIGGER floor_record_no_delete")
            cursor.execute("DELETE FROM floor_record WHERE id = %s", [kept[2].pk])
        with self.assertRaisesRegex(CommandError, f"entry {kept[3].pk}, .* the one before it is gone"):
            call_command("verify", stdout=out)

    def test_a_correction_supersedes_and_both_stay(self):
        first = self.enter("wash_loss", 71.0)
        second = correct(first, self.people["operator"], value=17.1, text="", reason="slip of the key", form_key="c")
        self.assertEqual((second.supersedes, second.at, second.level), (first, first.at, "ok"))
        self.assertEqual(State(self.world).readings["wash_loss"].value, 17.1)
        self.assertEqual(Record.objects.count(), 2)

    def test_two_people_correcting_one_entry(self):
        first = self.enter("wash_loss", 71.0)
        correct(first, self.people["operator"], value=17.1, text="", reason="slip", form_key="c1")
        with self.assertRaisesRegex(AlreadyCorrectedError, "O. Test corrected this entry at .* to 17.1"):
            correct(first, self.people["tester"], value=17.4, text="", reason="slip", form_key="c2")
        self.assertEqual(Record.objects.count(), 2)

    def test_a_correction_needs_a_reason_a_value_and_a_role(self):
        first = self.enter("wash_loss", 71.0)
        for value, reason, error in (
            (17, " ", ValidationError),
            (None, "slip", ValidationError),
            (900, "slip", DomainError),
        ):
            with self.subTest(reason), self.assertRaises(error):
                correct(first, self.people["operator"], value=value, text="", reason=reason, form_key="c")
        with self.assertRaises(NotAllowedError):
            correct(first, self.people["trainee"], value=17, text="", reason="slip", form_key="c")

    def test_records_are_chained(self):
        records = [self.enter("wash_loss", 17.0 + i, 30 - i) for i in range(3)]
        previous = ""
        for record in records:
            kept = record.digest
            record.seal(previous)
            self.assertEqual(record.digest, kept)
            previous = kept

    def test_notes_have_a_length(self):
        for text in ("", "   ", "x" * 501):
            with self.subTest(len(text)), self.assertRaises(ValidationError):
                record_event(self.world, self.people["operator"], text, station="wash", at=NOW, form_key="n")

    def test_samples_keep_the_first_value_of_a_second(self):
        rows = [("brown_cons", 5, 3.1), ("brown_cons", 5, 3.9), ("brown_cons", 6, 3.2)]
        store_samples(self.world.pk, rows)
        values = Sample.objects.filter(tag="brown_cons", at_s__lte=6).order_by("at_s").values_list("value", flat=True)
        self.assertEqual(list(values), [3.1, 3.2])

    def test_a_stopped_instrument_is_shown_as_stopped(self):
        later = State(self.world, NOW + timedelta(minutes=20))
        self.assertEqual(later.readings["brown_cons"].trouble, "no reading for 20 min")
        self.assertEqual(State(self.world).readings["brown_cons"].trouble, "")

    def test_a_frozen_instrument_is_told(self):
        later = NOW + timedelta(minutes=3)
        store_samples(self.world.pk, [("machine_cons", int(later.timestamp()) - 5 * i, 3.2) for i in range(13)])
        self.assertIn("do not move", State(self.world, later).readings["machine_cons"].trouble)

    def test_a_definition_is_approved_whole_or_not_at_all(self):
        text = DefinitionVersion.objects.get().text
        self.assertEqual(approve_definition(text, "E. Test").number, 1)
        self.assertEqual(approve_definition(text.replace("yield_frac: 0.522", "yield_frac: 0.53"), "E. Test").number, 2)
        with self.assertRaises(DefinitionError):
            approve_definition(text.replace("yield_frac: 0.522", "yield_frac: 5.3"), "E. Test")
        self.assertEqual(DefinitionVersion.objects.count(), 2)


class Floor(DeskCase):
    def test_a_busy_or_full_database_is_said_in_words(self):
        self.sign_in()
        for text, words in (
            ("database is locked", "busy with another writer"),
            ("database or disk is full", "The disk is full"),
        ):
            with (
                self.subTest(text),
                patch("desk.screens.entry.record_reading", side_effect=OperationalError(text)),
            ):
                answer = self.client.post("/live/entry/record/", {"line": "brown cons 3.5"})
                self.assertContains(answer, words, status_code=503)
                self.assertContains(answer, "othing was written", status_code=503)
        self.assertEqual(self.record_count(), 0)

    def test_the_log_filters_and_corrects(self):
        self.sign_in()
        record = self.enter("wash_loss", 71.0)
        self.client.post("/live/log/note/", {"text": "Shower two cleaned", "station": "wash", "form_key": "n1"})
        page = self.client.get("/live/log/?kind=event&words=shower")
        self.assertContains(page, "Shower two cleaned")
        self.assertNotContains(page, "<td>Wood wash loss")
        form = {"value": "17.1", "reason": "slip of the key", "form_key": "c1"}
        self.assertContains(
            self.client.post(f"/live/log/{record.pk}/correct/", {**form, "value": "abc"}),
            "is not a number",
            status_code=422,
        )
        self.assertContains(
            self.client.post(f"/live/log/{record.pk}/correct/", {**form, "reason": ""}),
            "so that the next shift understands",
            status_code=422,
        )
        self.client.post(f"/live/log/{record.pk}/correct/", form)
        page = self.client.get("/live/log/")
        self.assertContains(page, "struck")
        self.assertContains(page, "slip of the key")
        late = self.client.post(f"/live/log/{record.pk}/correct/", {**form, "value": "17.5", "form_key": "c2"})
        self.assertContains(late, "Yours was not written", status_code=422)
        self.assertContains(late, 'value="17.5"', status_code=422)

    def test_a_long_note_is_refused_and_kept(self):
        self.sign_in()
        answer = self.client.post("/live/log/note/", {"text": "y" * 600})
        self.assertContains(answer, "up to 500 are kept", status_code=422)
        self.assertContains(answer, "y" * 600, status_code=422)

    def test_a_blow_needs_its_cautions_ticked_and_is_logged_once(self):
        self.sign_in("cook")
        self.assertContains(self.client.post("/live/cook/1187/blow/", {}), "Before the blow", status_code=422)
        sure = {"sure": "1187", "text": "the relief valve lifted at 14:02"}
        self.client.post("/live/cook/1187/blow/", {"minded": "on", "form_key": "b", **sure})
        self.assertContains(
            self.client.post("/live/cook/1187/blow/", {"minded": "on"}), "Logged already", status_code=409
        )
        self.assertContains(self.client.get("/live/cook/1187/"), "is blown, at H")
        self.sign_in("tester")
        self.assertContains(
            self.client.post("/live/cook/1188/blow/", {"minded": "on"}), "that takes a cook", status_code=403
        )

    def test_hand_over_is_composed_signed_and_frozen(self):
        self.sign_in("lead")
        self.enter("cane_brightness", 81.9)
        self.assertContains(
            self.client.get("/live/hand-over/"), "Cane brightness: 81.9 % ISO at 14:20, 0.8 below its band"
        )
        wrong = self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": "0000", "form_key": "s"})
        self.assertContains(wrong, "not your signing secret", status_code=422)
        self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": SECRET, "form_key": "s"})
        self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": SECRET, "form_key": "s"})
        signed = HandOver.objects.get()
        self.enter("cane_brightness", 84.0, 1)
        self.assertContains(self.client.get(f"/live/hand-over/{signed.pk}/"), "Cane brightness: 81.9 % ISO")
        pdf = self.client.get(f"/live/hand-over/{signed.pk}/sheet.pdf")
        self.assertTrue(pdf.content.startswith(b"%PDF"))
        self.assertEqual(pdf.content, self.client.get(f"/live/hand-over/{signed.pk}/sheet.pdf").content)
        self.assertTrue(self.client.get("/live/hand-over/sheet.pdf").content.startswith(b"%PDF"))

    def test_signing_waits_after_wrong_secrets_and_takes_a_role(self):
        self.sign_in("operator")
        for _ in range(4):
            self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": "0000"})
        self.assertEqual(FailedTry.objects.count(), 4)
        self.assertContains(
            self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": SECRET}),
            "Too many wrong tries",
            status_code=422,
        )
        self.sign_in("trainee")
        self.assertContains(
            self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": SECRET}), "takes a", status_code=403
        )
        self.assertEqual(HandOver.objects.count(), 0)

    def test_a_key_is_of_one_person_one_form_and_one_content(self):
        self.sign_in("operator")
        self.client.post("/live/log/note/", {"text": "pump 3 hums", "form_key": "k"})
        self.client.post("/live/log/note/", {"text": "pump 3 hums", "form_key": "k"})
        self.assertEqual(Record.objects.count(), 1)  # pressed twice
        other = self.client.post("/live/log/note/", {"text": "pump 4 hums", "form_key": "k"})
        self.assertContains(other, "form was sent at", status_code=422)
        self.assertContains(other, "pump 4 hums", status_code=422)
        self.client.post("/live/entry/record/", {"line": "wash loss wood 18", "form_key": "k"})
        self.sign_in("lead")
        self.client.post("/live/log/note/", {"text": "pump 5 hums", "form_key": "k"})
        self.assertEqual(set(Record.objects.values_list("text", flat=True)), {"pump 3 hums", "", "pump 5 hums"})

    def test_an_order_and_a_signature_are_not_rewritten_in_the_log(self):
        self.sign_in("lead")
        self.client.post("/live/hand-over/sign/", {"none": MUST_SAY, "secret": SECRET, "form_key": "s"})
        signed = Record.objects.get(kind="signed")
        form = {"text": "signed by somebody else", "reason": "so", "form_key": "x"}
        self.assertEqual(self.client.post(f"/live/log/{signed.pk}/correct/", form).status_code, 403)
        self.assertEqual(Record.objects.count(), 1)

    def test_forged_requests_are_refused(self):
        from django.test import Client

        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.people["operator"])
        answer = strict.post("/live/entry/record/", {"line": "brown cons 3.5"})
        self.assertContains(answer, "This page had gone stale", status_code=403)
        self.assertEqual(self.record_count(), 0)


class Demonstration(DeskCase):
    def test_loading_twice_changes_nothing(self):
        from io import StringIO

        out = StringIO()
        call_command("load_demo", mill=["nowhere"], history="nowhere", anchor=0, stdout=out)
        self.assertIn("nothing was loaded", out.getvalue())
