"""What is offered on a page is what the role may do: a form that would be refused for the role is not shown."""

import re

from desk.floor.state import State
from desk.floor.station import stations
from tests.desk.base import NOW, ROLES
from tests.desk.yard_case import YardCase

FORM = re.compile(r'<form method="post" action="([^"]+)"(.*?)</form>', re.DOTALL)
WHAT_IF = "/live/ahead/what-if/"  # it writes nothing: anybody may ask
EVERYBODYS = (WHAT_IF, "/sign-out/", "/preferences/", "/live/entry/record/", "/unlock/", "/own/", "/sign-in/")


class Offered(YardCase):
    def test_no_role_is_shown_a_form_it_may_not_use(self):
        state = State(self.world, NOW)
        pages = ["/live/", "/live/order/", "/live/log/", "/live/hand-over/", "/live/witness/brown_cons/"]
        pages += [f"/live/at/{one.id}/" for one in state.line.stations]
        pages += [address for one in stations() if one.serves(state.line) for address in one.pages(state)]
        for role in ROLES:
            self.sign_in(role)
            shown = set()
            for page in dict.fromkeys(pages):
                answer = self.client.get(page)
                if answer.status_code == 200:
                    shown |= {
                        (page, action)
                        for action, inside in FORM.findall(answer.content.decode())
                        if "<button" in inside and not action.startswith(EVERYBODYS)
                    }
            if role == "trainee":
                self.assertEqual(shown, set())
            for page, action in sorted(shown):
                with self.subTest(role=role, page=page, action=action):
                    self.assertNotEqual(self.client.post(action, {"form_key": "o"}).status_code, 403)
