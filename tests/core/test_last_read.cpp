#include <catch2/catch.hpp>

#include "study/last_read.h"

using namespace heron;

TEST_CASE("what was read is read anew with other settings only, and what fails is asked for again", "[study]") {
  study::LastRead<int> last;
  int read = 0;
  const auto with = [&](const study::SettingsText& settings) { return last.with(settings, [&]() -> Result<int> { return ++read; }); };
  CHECK(!last.kept());
  CHECK(with({}).value() == 1);
  CHECK(with({}).value() == 1);
  CHECK(with({{"skew", "1 ns"}}).value() == 2);
  CHECK(with({{"skew", "1 ns"}}).value() == 2);
  CHECK(last.kept() == 2);
  // Only the last is kept.
  CHECK(with({}).value() == 3);
  const auto failed = last.with({{"skew", "2 ns"}}, []() -> Result<int> { return fail(Fault::input, "It cannot be read."); });
  REQUIRE(!failed);
  CHECK(failed.error().message == "It cannot be read.");
  CHECK(last.kept() == 3);
  CHECK(with({{"skew", "2 ns"}}).value() == 4);
}
