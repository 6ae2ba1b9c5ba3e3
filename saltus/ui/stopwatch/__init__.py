"""The stopwatch for live trials, and the test of the hand that presses it."""
