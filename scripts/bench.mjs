// placeholder until the benchmarks are wired below
