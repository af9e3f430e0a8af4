// Which places each test passes, for `scripts/mutate`: a line a test with its time, its name and their numbers.
#define CATCH_CONFIG_EXTERNAL_INTERFACES
#include <catch2/catch.hpp>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <set>
#include <string>

#include "base/mutants.h"

namespace {

class Reached : public Catch::TestEventListenerBase {
 public:
  using TestEventListenerBase::TestEventListenerBase;

  void testRunStarting(const Catch::TestRunInfo&) override {
    note_ = std::getenv("HERON_PLACES") ? std::getenv("HERON_PLACES") : "";
    std::memcpy(from_start_, heron_mutants::reached, HERON_MUTANTS);
  }
  void testCaseStarting(const Catch::TestCaseInfo&) override {
    std::memset(heron_mutants::reached, 0, HERON_MUTANTS);
    started_ = std::chrono::steady_clock::now();
  }
  void testCaseEnded(const Catch::TestCaseStats& stats) override {
    if (note_.empty()) {
      return;
    }
    const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - started_).count();
    std::set<int> all;
    for (int i = 0; i < HERON_MUTANTS; ++i) {
      if (heron_mutants::reached[i] != 0 || from_start_[i] != 0) {
        all.insert(i);
      }
    }
    if (const char* const path = std::getenv("HERON_REACHED")) {
      std::ifstream in(path);
      for (int i = 0; in >> i;) {
        all.insert(i);
      }
      std::remove(path);
    }
    std::ofstream out(note_, std::ios::app);
    out << took << '\t' << stats.testInfo.name << '\t';
    for (const int i : all) {
      out << i << ' ';
    }
    out << '\n';
    for (int i = 0; i < HERON_MUTANTS; ++i) {
      if (heron_mutants::senseless[i] != 0 && !told_[i]) {
        told_[i] = true;
        out << "senseless\t\t" << i << '\n';
      }
    }
  }

 private:
  std::string note_;
  std::chrono::steady_clock::time_point started_;
  unsigned char from_start_[HERON_MUTANTS + 1] = {};
  bool told_[HERON_MUTANTS + 1] = {};
};
CATCH_REGISTER_LISTENER(Reached)

}  // namespace
