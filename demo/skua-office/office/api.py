from tern_rest import resource

from office.rosters import crews


def ferries():
    return resource({ferry: hands for ferry, _, hands in crews})
