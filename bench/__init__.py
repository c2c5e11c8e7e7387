"""Benchmarks: each figure beside a yardstick measured in the same run, so that a slow machine does not mislead."""
