#include "exchange/curves.h"
#include "study/switching/kind.h"
#include "switching_support.h"

using namespace heron;

/// Shots as files have them, the sound one and each that is not.
namespace switching_files {
namespace {

namespace switching = study::switching;
using test::Lines;

const Lines kAll = {{"v_ds", test::kPulsesV}, {"i_d", test::kPulsesI}, {"v_gs", test::kPulsesG}};

/// A row every ten nanoseconds until so many microseconds, with a line of it changed.
std::string table(const Lines& all, double until = 30, std::size_t line = 0, const std::string& instead = {}) {
  std::string out = "time";
  for (const auto& [role, corners] : all) out += "," + role;
  std::size_t at = 1;
  for (int k = 0; k <= int(std::lround(100 * until)); ++k) {
    std::string row = fmt::format("{}e-8", k);
    for (const auto& [role, corners] : all) row += fmt::format(",{}", test::on_line(corners, 0.01 * k));
    out += "\n" + (++at == line ? instead : row);
  }
  return out + "\n";
}
Result<study::Analysis> analysed(const std::string& text, const study::SettingsText& settings = {}) {
  const test::Folder folder;
  auto curves = exchange::read_curves(folder.write("shot.csv", text), switching::kind());
  if (!curves) return tl::unexpected(curves.error());
  study::Point point{.setting = nlohmann::json::object(), .records = {}};
  for (auto& c : *curves) point.records.push_back(std::move(c.record));
  return switching::kind().analyse({point}, settings, {});
}
study::Reading reading(const std::string& text, const study::SettingsText& settings = {}) {
  auto out = analysed(text, settings);
  if (!out) FAIL(out.error().message);
  return out->reading;
}
std::string reason(const study::Reading& r, std::string_view key) {
  for (const auto& a : r.absent)
    if (a.key == key) return test::spaced(a.reason);
  return {};
}
std::string refused(const std::string& text) {
  const auto out = analysed(text);
  REQUIRE_FALSE(out);
  CHECK(out.error().fault == Fault::input);
  return out.error().message;
}

}  // namespace

TEST_CASE("a file of a shot is read, with a gate or without one", "[switching][csv]") {
  const auto whole = reading(table(kAll));
  REQUIRE(whole.find("energy.on"));
  REQUIRE(whole.find("energy.off"));
  CHECK(whole.find("delay.off"));
  Lines without = kAll;
  without.pop_back();
  const auto bare = reading(table(without));
  REQUIRE(bare.find("energy.on"));
  CHECK(bare.find("energy.on")->value == Approx(whole.find("energy.on")->value));
  CHECK(bare.find("energy.off")->value == Approx(whole.find("energy.off")->value));
  CHECK(reason(bare, "delay.on") == "there is no v_gs");
  CHECK(reason(bare, "delay.off") == "there is no v_gs");
}

TEST_CASE("one pulse, or a second one that is cut off, has no turn-on under load", "[switching][csv][bad]") {
  for (const double until : {18.0, 20.01}) {
    CAPTURE(until);
    const auto one = reading(table(kAll, until));
    CHECK(one.find("energy.off"));
    for (const char* key : {"energy.on", "delay.on", "rise_time", "dv_dt.on", "di_dt.on", "peak.current", "recovery.current", "recovery.charge"}) {
      CAPTURE(key);
      CHECK_FALSE(one.find(key));
      CHECK_THAT(reason(one, key), Catch::Matchers::StartsWith("i_d carries ") && Catch::Matchers::EndsWith("no load current is taken over"));
    }
  }
  // v_ds has fallen, and nothing of what follows is there.
  const auto cut = reading(table(kAll, 20.06));
  CHECK(cut.find("energy.off"));
  CHECK_FALSE(cut.find("recovery.charge"));
}

TEST_CASE("files that are no shots are refused in words", "[switching][csv][bad]") {
  CHECK_THAT(refused(table(kAll, 30, 1501, "1499e-8,48")), Catch::Matchers::Contains(":1501: the row has 2 cells; column 3 (i_d) is missing."));
  CHECK_THAT(refused(table(kAll, 30, 1501, "3e-8,48,1,2")), Catch::Matchers::Contains("Line 1501: the time lies before the one before it"));
  CHECK_THAT(refused(table({kAll[0], kAll[2]})), Catch::Matchers::Contains("There is no quantity i_d"));
  CHECK_THAT(refused(table({kAll[1], kAll[2]})), Catch::Matchers::Contains("There is no quantity v_ds"));
  CHECK_THAT(refused("time\n0\n1\n2\n"), Catch::Matchers::Contains("no column of numbers is left for a quantity"));
  CHECK_THAT(refused(""), Catch::Matchers::Contains("no rows of numbers are found"));
  CHECK_THAT(refused(std::string("\0\1\2\3time,v_ds", 14)), Catch::Matchers::Contains("not text"));
  CHECK_THAT(refused("time,v_ds,i_d\n0,48,0\n1e-8,48,0\n"), Catch::Matchers::Contains("tells nothing"));
  CHECK_FALSE(analysed(table(kAll, 30, 1501, "1499e-8,nan,1,2")));
}

}  // namespace switching_files
