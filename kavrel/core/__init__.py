"""The rules of the trade: pure functions over a plan. No I/O, no clock, no HTTP, no SQL."""
