"""Fuzzers: whatever is sent is kept whole or refused in words. `python -m tests.fuzz` runs them for
as long as one likes; the tests run each for less than a minute."""
