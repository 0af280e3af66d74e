"""Pages made before they are asked for: a screen keeps what it has until the new one is ready, and is never sent back."""

from unittest.mock import patch

from desk.floor import pulse
from desk.frame.made_ahead import MAKER, Maker, bare, is_newer
from tests.desk.base import DeskCase


class MadeAhead(DeskCase):
    def setUp(self):
        super().setUp()
        held = patch.object(Maker, "_start")  # its thread could not see what a test has not committed
        held.start()
        MAKER.begin()
        self.addCleanup(MAKER.end)
        self.addCleanup(held.stop)
        self.sign_in()

    def poll(self, tag, page="/live/"):
        return self.client.get(page, headers={"HX-Request": "true", "HX-Target": "div#desk", "HX-PTag": tag})

    def opened(self, page="/live/"):
        answer = self.client.get(page)
        self.assertEqual(answer.status_code, 200)
        return answer["HX-PTag"]

    def test_a_screen_keeps_what_it_has_until_the_new_page_is_ready(self):
        tag = self.opened()
        self.assertEqual(self.poll("0.0.0.0").status_code, 200)  # its first asking says that it is open
        MAKER.make("live")
        self.enter("brown_cons", 3.1)
        self.assertEqual(self.poll(tag).status_code, 304)  # changed, not made yet
        self.assertContains(self.client.get("/live/log/"), "3.1")  # what is opened is as the line stands
        MAKER.make("live")
        found = self.poll(tag)
        self.assertEqual(found.status_code, 200)
        self.assertNotEqual(found["HX-PTag"], tag)
        self.assertEqual(self.poll(found["HX-PTag"]).status_code, 304)

    def test_the_page_that_is_ready_is_not_made_again(self):
        self.poll("0.0.0.0")
        MAKER.make("live")
        with patch("desk.screens.line.draw_line", side_effect=AssertionError("made again")):
            self.assertEqual(self.poll("0.0.0.0").status_code, 200)

    def test_who_has_a_newer_page_is_not_sent_back(self):
        self.poll("0.0.0.0")
        MAKER.make("live")
        self.enter("brown_cons", 3.1)
        newer = self.opened()
        self.assertEqual(self.poll(newer).status_code, 304)
        self.enter("brown_cons", 3.2, minutes_ago=5)
        self.assertEqual(self.poll(newer).status_code, 200)  # made at once, of the line as it stands

    def test_a_page_that_cannot_be_made_stops_no_other(self):
        self.poll("0.0.0.0")
        self.poll("0.0.0.0", "/live/at/wash/")
        self.enter("brown_cons", 3.1)
        with patch("desk.screens.line.draw_line", side_effect=ValueError("broken")), self.assertLogs("desk", "ERROR"):
            MAKER.make("live")
        self.assertEqual(self.poll("0.0.0.0", "/live/at/wash/").status_code, 200)

    def test_a_screen_that_was_closed_is_not_made_for(self):
        self.poll("0.0.0.0")
        self.assertEqual(MAKER._still_open(), ["live"])
        with patch("desk.frame.made_ahead.time.monotonic", return_value=1e12):
            self.assertEqual(MAKER._still_open(), [])
        self.assertEqual(MAKER._still_open(), [])

    def test_where_nothing_was_looked_at_for_long_a_page_is_made_as_it_is_asked_for(self):
        self.poll("0.0.0.0")
        MAKER.make("live")
        now = pulse.now_of("live")
        self.assertIsNotNone(MAKER.shown(now, now.tag))
        with patch("desk.frame.made_ahead.time.monotonic", return_value=1e12):
            self.assertIsNone(MAKER.shown(now, now.tag))

    def test_tags_are_told_apart_and_a_bare_request_has_its_address(self):
        self.assertTrue(is_newer("1.12.1.100", "1.11.1.100"))
        self.assertTrue(is_newer("nonsense", "1.11.1.100"))
        self.assertFalse(is_newer("1.11.1.100", "1.11.1.100"))
        self.assertFalse(is_newer("1.10.1.99", "1.11.1.100"))
        request = self.client.get("/live/log/?page=2").wsgi_request
        self.assertEqual(bare(request).get_full_path(), "/live/log/?page=2")
