#include <catch2/catch.hpp>

#include "judge/claim_words.h"
#include "judge/typed.h"
#include "run/ledger.h"
#include "study/kind.h"
#include "support.h"

using namespace heron;

namespace {

const study::Kind& of_responses() { return *study::find_kind("response"); }

judge::TypedFigure typed_in(const std::string& line, long long unit = 1) {
  auto out = judge::understand_typed(line, of_responses());
  if (!out) FAIL(out.error().message);
  out->unit = unit;
  return *out;
}

}  // namespace

TEST_CASE("a figure is typed in as a name, a value, how well it is known, and where it was read", "[typed]") {
  const auto l = typed_in("Inductance 10.3 uH \u00b10.2 uH, by the bridge in the lab");
  CHECK(l.figure.label == "Inductance");
  CHECK(l.figure.value == Approx(10.3e-6));
  CHECK(l.figure.unit == "H");
  // What is typed is expanded, k = 2.
  CHECK(*l.figure.u == Approx(0.1e-6));
  CHECK(l.source == "by the bridge in the lab");
  const auto share = typed_in("R 25 of L1 42 mohm +-2 %, four-wire, unit warm");
  CHECK(share.figure.label == "R 25 of L1");
  CHECK(share.figure.value == Approx(42e-3));
  CHECK(*share.figure.u == Approx(0.42e-3));
  CHECK(share.source == "four-wire, unit warm");
  const auto plain = typed_in("Turns ratio 7.5, counted");
  CHECK(plain.figure.unit == "1");
  CHECK_FALSE(plain.figure.u);
  CHECK(typed_in("Offset -3 mV +/-1 mV, by the meter").figure.value == Approx(-3e-3));
}

TEST_CASE("a typed figure that lacks something is refused with what it lacks", "[typed]") {
  for (const char* bad : {"", "Inductance", "Inductance 10.3 uH", "Inductance 10.3 uH, ", "10.3 uH, by the bridge",
                          "Inductance 10.3 uH \u00b1nothing, by the bridge", "Inductance 10.3 uH \u00b12 V, by the bridge",
                          "Inductance ten, by the bridge", "Inductance 10.3 furlongs, by the bridge",
                          "Inductance nan H, by the bridge", "Inductance 10.3 uH +--1 uH, by the bridge",
                          // What takes give is read off takes.
                          "High corner 3 kHz, by eye"}) {
    const auto read = judge::understand_typed(bad, of_responses());
    INFO(bad);
    REQUIRE_FALSE(read);
    CHECK(read.error().message.size() > 20);
  }
}

TEST_CASE("claims apply to typed figures, unit by unit, with or without a take", "[typed][dossier]") {
  const test::Folder folder;
  auto store = *dossier::Store::create(folder.file("t.heron"));
  const auto study = *store.add_study({.name = "Coil", .kind = "response", .plan = {}});
  const auto other = *store.add_unit("unit 02");
  REQUIRE(store.type_figure(study, typed_in("Inductance 10.3 uH \u00b10.2 uH, by the bridge")));
  const auto names = judge::names_of(*store.typed_figures(study));
  const auto claim = judge::understand_claim("Inductance at least 10 uH", of_responses(), names);
  if (!claim) FAIL(claim.error().message);
  CHECK(claim->figure == "typed.inductance");
  CHECK_FALSE(judge::understand_claim("Inductance at least 10 V", of_responses(), names));
  CHECK_FALSE(judge::understand_claim("Inductance at least 10 uH", of_responses()));
  REQUIRE(store.add_claim(study, *claim));

  auto lines = *run::ledger(store);
  REQUIRE(lines.size() == 1);
  CHECK(lines[0].judgement.verdict == judge::Verdict::meets);
  CHECK(*lines[0].judgement.value == Approx(10.3e-6));
  CHECK(run::to_json(lines[0]).at("typed") == "by the bridge");

  // Within its uncertainty of the limit it is too close; typed again, it stands in the place of the first.
  REQUIRE(store.type_figure(study, typed_in("Inductance 10.1 uH \u00b10.2 uH, by the bridge")));
  CHECK(store.typed_figures(study)->size() == 1);
  CHECK((*run::ledger(store))[0].judgement.verdict == judge::Verdict::too_close);

  // Another unit has its own.
  REQUIRE(store.set_current_unit(other));
  lines = *run::ledger(store);
  CHECK(lines[0].judgement.verdict == judge::Verdict::not_measured);
  CHECK_FALSE(lines[0].typed);
  REQUIRE(store.type_figure(study, typed_in("Inductance 9 uH, by the bridge", other)));
  CHECK((*run::ledger(store))[0].judgement.verdict == judge::Verdict::fails);
  REQUIRE(store.remove_typed_figure(study, "typed.inductance", other));
  CHECK(store.typed_figures(study)->size() == 1);
  // Nothing of it is asked of takes.
  CHECK(judge::asked_figures(of_responses(), *store.claims(study), {}).empty());
}
