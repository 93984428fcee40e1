import unittest

from gull import same
from marram import render

from office import api, rosters


class Rosters(unittest.TestCase):
    def test_page(self):
        page = render("/rosters")
        same(page.startswith("watch of 2"), True)
        same(page.splitlines()[1:], ["Fulmar | Ailsa | 3", "Gannet | Bride | 5"])

    def test_form(self):
        same(rosters.sign_on(ferry="Gannet", hands="9"), {"ferry": "Gannet", "hands": 6})

    def test_tasks_and_resources(self):
        same(rosters.hands.later(), 8)
        same(api.ferries(), '{"Fulmar": 3, "Gannet": 5}')
