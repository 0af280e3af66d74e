"""The tests. What takes long on a busy machine is not wrong for that: no deadlines."""

from hypothesis import settings

settings.register_profile("fox", deadline=None, print_blob=True)
settings.load_profile("fox")
