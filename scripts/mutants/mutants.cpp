#include "base/mutants.h"

#include <cstdio>
#include <cstdlib>

namespace heron_mutants {

int active = -1;
unsigned char reached[HERON_MUTANTS + 1];
unsigned char senseless[HERON_MUTANTS + 1];

namespace {

// Before anything else is initialised, which may be changed as well.
struct AtStart {
  AtStart() {
    if (const char* const wanted = std::getenv("HERON_MUTANT")) active = std::atoi(wanted);
  }
} at_start __attribute__((init_priority(101)));

// A program that a test starts notes its places as well.
struct AtEnd {
  ~AtEnd() {
    const char* const path = std::getenv("HERON_REACHED");
    if (std::FILE* f = path ? std::fopen(path, "a") : nullptr) {
      for (int i = 0; i < HERON_MUTANTS; ++i) {
        if (reached[i] != 0) {
          std::fprintf(f, "%d\n", i);
        }
      }
      std::fclose(f);
    }
  }
} at_end;

}  // namespace
}  // namespace heron_mutants
