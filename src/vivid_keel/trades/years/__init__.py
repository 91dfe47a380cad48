"""Heights over the years: levellings of several occasions laid on the benchmarks that stood."""
