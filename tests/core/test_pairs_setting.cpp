#include <catch2/catch.hpp>

#include "study/pairs_setting.h"

using namespace heron;
using Catch::Matchers::Contains;
using study::Pairs;

namespace {
const study::PairsRule kFuse = {"s", "A", "a time and a current", "times", "100 ms 30 A"};
const study::PairsRule kPromised = {"A", "%", "a current and its efficiency", "currents", "100 mA 88 %"};

std::string refused(const std::string& text, const study::PairsRule& rule = kFuse) {
  const auto out = study::pairs_from("fuse", text, rule);
  REQUIRE_FALSE(out);
  CHECK(out.error().fault == Fault::usage);
  return out.error().message;
}
}  // namespace

TEST_CASE("points of a curve are read with their units apart or not", "[settings]") {
  const Pairs wanted = {{0.01, 80}, {0.1, 30}, {1, 14}};
  for (const char* text : {"10 ms 80 A, 100 ms 30 A, 1 s 14 A", "10ms 80A,100ms 30A,1s 14A", "10 ms 80A, 100ms 30 A, 1 s 14", "0.01 80, 0.1 30, 1 14"}) {
    CAPTURE(text);
    const auto out = study::pairs_from("fuse", text, kFuse);
    REQUIRE(out);
    REQUIRE(out->size() == 3);
    for (std::size_t k = 0; k < 3; ++k) {
      CHECK((*out)[k].first == Approx(wanted[k].first));
      CHECK((*out)[k].second == Approx(wanted[k].second));
    }
    CHECK(study::pairs_from("fuse", study::pairs_text(*out, kFuse), kFuse).value() == *out);
  }
  CHECK(study::pairs_text(wanted, kFuse) == "0.01 s 80 A, 0.1 s 30 A, 1 s 14 A");
  CHECK(study::pairs_text({}, kFuse).empty());
  CHECK(study::pairs_from("expected", "10 mA 62 %, 1 A 95%", kPromised).value() == Pairs{{0.01, 62}, {1, 95}});
  CHECK(study::pairs_from("fuse", "none", kFuse).value() == Pairs{});
}

TEST_CASE("points of a curve that are none are refused with what is wanted", "[settings][bad]") {
  CHECK(refused("10 ms") == "fuse: a time and a current are wanted in \"10 ms\", such as 100 ms 30 A.");
  for (const char* text : {"fast", "10 ms 80 V", "-1 s 3 A", "0 s 3 A", "1 s 0 A", "1 s -3 A", "1 s inf A", "inf s 3 A", "nan 3", "1 s 2 A 3 A", "10 ms 80 A 5"}) {
    CAPTURE(text);
    CHECK_THAT(refused(text), Contains("such as 100 ms 30 A"));
  }
  CHECK_THAT(refused("10 ms 80 A, 5 ms 90 A"), Contains("its times must rise"));
  CHECK_THAT(refused("10 ms 80 A, 10 ms 70 A"), Contains("its times must rise"));
}
