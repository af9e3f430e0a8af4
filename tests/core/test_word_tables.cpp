#include <catch2/catch.hpp>
#include <random>

#include "study/iv/brief.h"
#include "study/iv/words.h"
#include "study/kind.h"
#include "study/plan.h"
#include "study/response/brief.h"
#include "study/response/words.h"
#include "study/waveform/words.h"

using namespace heron;

namespace word_tables {
namespace {

const study::Surroundings& around() {
  static const study::Surroundings all = [] {
    study::Surroundings out{.pins = {"in", "out", "gate", "drain", "drive lead"}, .terminals = {"in", "out", "gate", "drain"}, .contacts = {"K1", "K2"}};
    out.limits = {.highest_frequency = 40e6,
                  .highest_level_pp = 20,
                  .lowest_level_pp = 1e-3,
                  .source_measure_voltage = 200,
                  .source_measure_current = 3,
                  .highest_sample_rate = 100e6,
                  .ranges = {0.1, 1, 10}};
    return out;
  }();
  return all;
}

study::response::Plan response_plan() {
  return {.drive_pin = "in", .hookup = study::response::direct_hookup("in", "out"), .start = 12, .stop = 34e3};
}

study::iv::Plan sweep_plan() {
  using namespace study::iv;
  return {.sources = {{.name = "drain", .pin = "drain", .against = "", .role = Role::swept, .current_range = {}},
                      {.name = "gate",
                       .pin = "gate",
                       .against = "",
                       .role = Role::stepped,
                       .values = {.start = 1, .stop = 2, .points = 3},
                       .current_range = {}}},
          .sensed = ""};
}

study::waveform::Plan capture_plan() {
  study::waveform::Plan plan{.drive_pin = "in", .contact = "K1", .hookup = {}};
  for (const char* name : {"v_in", "v_out"})
    plan.hookup.chains.push_back({.name = name, .input = {.pin = "out", .sensor = bench::stock_sensors().front()}});
  plan.quantity = "v_in";
  return plan;
}

/// Every word that the brief shows, set to its own text, leaves the plan as it is.
void texts_read_back(const study::Plan& plan) {
  const auto kept = plan.to_json();
  for (const auto& piece : plan.brief()) {
    if (piece.key.empty()) continue;
    INFO(piece.key << " = " << piece.text);
    CHECK_FALSE(piece.text.empty());
    const bool adds = piece.text == "another pin";
    const auto again = plan.with(piece.key, piece.text, around());
    if (adds) continue;
    REQUIRE(again);
    CHECK((*again)->to_json() == kept);
    const auto hint = plan.hint(piece.key, around());
    CHECK_FALSE(hint.label.empty());
  }
}

study::PlanPtr stored(const char* kind, const nlohmann::json& json) {
  const auto plan = study::find_kind(kind)->plan(json);
  if (!plan) FAIL(plan.error().message);
  return *plan;
}

/// Plans that are one word after another away from the first: whatever its hint offers, and a few numbers.
std::vector<study::PlanPtr> neighbours(study::PlanPtr plan, unsigned seed) {
  std::vector<study::PlanPtr> out = {plan};
  std::mt19937 random(seed);
  for (int step = 0; step < 60; ++step) {
    const auto pieces = plan->brief();
    const auto& piece = pieces[random() % pieces.size()];
    if (piece.key.empty()) continue;
    auto offers = plan->hint(piece.key, around()).choices;
    for (const char* number : {"3", "40", "0.2", "1 kHz", "2 V", "30 mA", "5 ms", "off"}) offers.emplace_back(number);
    const auto next = plan->with(piece.key, offers[random() % offers.size()], around());
    // What makes no sense is refused with its reason; what is accepted is a plan like any other.
    if (!next) {
      CHECK_FALSE(next.error().message.empty());
      continue;
    }
    plan = *next;
    out.push_back(plan);
  }
  return out;
}

}  // namespace

TEST_CASE("every word of every plan reads back as what it says", "[words][property]") {
  for (const auto& [kind, json] : {std::pair{"response", study::response::to_json(response_plan())},
                                   {"iv", study::iv::to_json(sweep_plan())},
                                   {"waveform", study::waveform::to_json(capture_plan())}})
    for (unsigned seed = 1; seed <= 12; ++seed)
      for (const auto& plan : neighbours(stored(kind, json), seed)) {
        INFO(kind << ", seed " << seed);
        texts_read_back(*plan);
        CHECK(stored(kind, plan->to_json())->to_json() == plan->to_json());
      }
}

TEST_CASE("whatever a word offers can be chosen", "[words]") {
  for (const auto& [kind, json] : {std::pair{"response", study::response::to_json(response_plan())},
                                   {"iv", study::iv::to_json(sweep_plan())},
                                   {"waveform", study::waveform::to_json(capture_plan())}}) {
    const auto plan = stored(kind, json);
    for (const auto& piece : plan->brief())
      for (const auto& choice : piece.key.empty() ? std::vector<std::string>() : plan->hint(piece.key, around()).choices) {
        INFO(piece.key << " = " << choice);
        // Pins, and what needs another method, may clash with the rest of the plan; the reason is then told.
        const auto chosen = plan->with(piece.key, choice, around());
        if (!chosen) CHECK(chosen.error().message.size() > 10);
      }
  }
}

TEST_CASE("a word of a stored plan that is not known is named, not guessed", "[words]") {
  const auto refused = [](const char* kind, nlohmann::json json) {
    const auto plan = study::find_kind(kind)->plan(json);
    return plan ? std::string() : plan.error().message;
  };
  auto response = study::response::to_json(response_plan());
  for (const char* key : {"method", "quantity", "spacing", "level_shape", "level_form", "repeat"}) {
    auto json = response;
    json[key] = "sideways";
    INFO(key);
    CHECK(refused("response", json).find("\"sideways\" is not known") != std::string::npos);
    CHECK(refused("response", json).find(key) != std::string::npos);
  }
  auto sweep = study::iv::to_json(sweep_plan());
  auto capture = study::waveform::to_json(capture_plan());
  for (const char* key : {"drive", "shape", "when", "slope", "moves", "repeat"}) {
    auto json = capture;
    json[key] = "sideways";
    INFO(key);
    CHECK(refused("waveform", json).find("\"sideways\" is not known") != std::string::npos);
  }
  for (const char* key : {"method", "course"}) {
    auto json = sweep;
    json[key] = "sideways";
    CHECK(refused("iv", json).find("\"sideways\" is not known") != std::string::npos);
  }
  for (const char* key : {"role", "force", "spacing"}) {
    auto json = sweep;
    json["sources"][0][key] = "sideways";
    INFO(key);
    // An unknown force would drive volts.
    CHECK(refused("iv", json).find("\"sideways\" is not known") != std::string::npos);
  }
  auto wrong = sweep;
  wrong["delay"] = "soon";
  CHECK(refused("iv", wrong).find("delay") != std::string::npos);
  CHECK_FALSE(refused("iv", nlohmann::json::array()).empty());
  CHECK_FALSE(refused("response", nullptr).empty());
}

TEST_CASE("words say their other forms and their limits", "[words]") {
  const auto plan = stored("response", study::response::to_json(response_plan()));
  const auto hint = [&](const char* key) { return plan->hint(key, around()); };
  CHECK(hint("level").forms.find("rms") != std::string::npos);
  CHECK(hint("start").forms.find("period") != std::string::npos);
  CHECK(hint("stop").allowed.find("40 MHz") != std::string::npos);
  CHECK(hint("averages").forms == "no averaging");
  CHECK(hint("response_range").choices.size() == 4);
  const auto sweep = stored("iv", study::iv::to_json(sweep_plan()));
  CHECK(sweep->hint("source.drain.start", around()).allowed == "up to 200 V either way");
  CHECK(sweep->hint("source.drain.value", around()).label == "What drain is held at");
  CHECK(sweep->hint("source.drain.compliance", around()).allowed == "up to 3 A");
  CHECK(sweep->hint("source.gate.points", around()).forms == "every 500 mV");
  CHECK(sweep->hint("source.nobody.points", around()).label.empty());
  CHECK(sweep->hint("add", around()).choices.size() == 5);
}

}  // namespace word_tables
