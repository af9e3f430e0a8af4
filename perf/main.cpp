#include <benchmark/benchmark.h>

#include "base/memory.h"

int main(int argc, char** argv) {
  // As the programs do whose speed this is.
  heron::keep_freed_memory();
  benchmark::Initialize(&argc, argv);
  if (benchmark::ReportUnrecognizedArguments(argc, argv)) return 1;
  benchmark::RunSpecifiedBenchmarks();
  benchmark::Shutdown();
}
