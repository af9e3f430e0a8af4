#include <catch2/catch.hpp>
#include <iostream>
#include <sstream>

#include "cli/commands.h"
#include "dossier/store.h"
#include "exchange/curves.h"
#include "judge/claim_words.h"
#include "kinds/pulse_count.h"
#include "run/export.h"
#include "run/ledger.h"
#include "run/take.h"
#include "support.h"

using namespace heron;

namespace third_kind {
namespace {

/// A divider by two: pulses of 1 V come out as 0.5 V.
constexpr const char* kDivider = R"(
[pins]
in = "in"
out = "out"
[ratings]
"in" = "3 V"
[part.R1]
kind = "resistor"
between = ["in", "out"]
value = "2.2 kohm"
[part.R2]
kind = "resistor"
between = ["out", "ground"]
value = "2.2 kohm"
)";

void register_once() {
  static const bool done = [] {
    study::add_kind(pulse_count::kind());
    return true;
  }();
  (void)done;
}

struct Bursts {
  test::Folder folder;
  dossier::Store store = std::move(*dossier::Store::create(folder.file("bursts.heron")));
  dossier::Study study;

  Bursts() {
    register_once();
    REQUIRE(store.set_device({"Mudlark buoy", "divider", kDivider}));
    const auto device = *run::read_device(store);
    const auto plan = pulse_count::kind().first_plan(run::surroundings_of(device, {}, {}));
    REQUIRE(plan);
    REQUIRE(store.add_study({.name = "Bursts", .kind = pulse_count::kName, .plan = (*plan)->to_json()}));
    study = *store.find_study("Bursts");
  }
  void retype(const char* key, const char* text) {
    const auto plan = *pulse_count::kind().plan(study.plan);
    const auto changed = plan->with(key, text, *run::surroundings_of(store, study));
    REQUIRE(changed);
    REQUIRE(store.set_plan(study.id, (*changed)->to_json()));
    study = *store.find_study("Bursts");
  }
  dossier::Take take() {
    const auto id = run::run_take(store, study, "simulated", 7, {}, {}, {});
    if (!id) FAIL(id.error().message);
    return *store.take(*id);
  }
};

/// What a command prints.
template <class Command>
std::string printed(const Command& command) {
  std::ostringstream out;
  auto* before = std::cout.rdbuf(out.rdbuf());
  const auto status = command();
  std::cout.rdbuf(before);
  if (!status) FAIL(status.error().message);
  return out.str();
}

}  // namespace

TEST_CASE("a third kind, known to nobody, is taken, read, claimed, doubted, exported and shown", "[third]") {
  Bursts bursts;
  const auto claim = judge::understand_claim("Missed pulses at most 0", pulse_count::kind());
  REQUIRE(claim);
  REQUIRE(bursts.store.add_claim(bursts.study.id, *claim));
  const auto take = bursts.take();
  CHECK(take.points == 6);
  auto read = run::read_take(bursts.store, bursts.study, take);
  REQUIRE(read);
  // Half of 1 V crosses 0.4 V, once a pulse.
  CHECK(read->analysis.reading.find("crossings.most")->value == 6);
  CHECK(read->analysis.reading.find("pulses.missed")->value == 0);
  CHECK(read->reduced->small().columns.front().y == std::vector<double>{1, 2, 3, 4, 5, 6});
  CHECK(run::ledger(bursts.store)->front().judgement.verdict == judge::Verdict::meets);

  // Half of 0.7 V does not: every pulse of every burst is missed, and the doubt's remedy mends it.
  bursts.retype("level", "700 mV");
  const auto missed = bursts.take();
  read = run::read_take(bursts.store, bursts.study, missed);
  REQUIRE(read);
  CHECK(read->analysis.reading.find("pulses.missed")->value == 1 + 2 + 3 + 4 + 5 + 6);
  CHECK(run::ledger(bursts.store)->front().judgement.verdict == judge::Verdict::fails);
  REQUIRE(read->analysis.reading.doubts.size() == 1);
  const auto plan = *pulse_count::kind().plan(bursts.study.plan);
  const auto remedy = plan->remedy(read->analysis.reading.doubts.front());
  REQUIRE(remedy.edits.size() == 1);
  bursts.retype(remedy.edits.front().first.c_str(), remedy.edits.front().second.c_str());
  CHECK(run::analyse_take(bursts.store, bursts.study, bursts.take())->reading.doubts.empty());

  const auto files = run::export_take(bursts.store, bursts.study, missed, bursts.folder.file("out"));
  REQUIRE(files);
  CHECK(*files == 3 + 6);
  const auto shown = printed([&] { return cli::show(bursts.folder.file("bursts.heron"), false, false); });
  CHECK(shown.find("Bursts (pulse count)") != std::string::npos);
  CHECK(shown.find("Missed pulses") != std::string::npos);
}

TEST_CASE("a third kind is refused beyond a rating and takes data of files", "[third]") {
  Bursts bursts;
  bursts.retype("level", "5 V");
  const auto refused = run::run_take(bursts.store, bursts.study, "simulated", 1, {}, {}, {});
  REQUIRE_FALSE(refused);
  CHECK(refused.error().fault == Fault::bench);
  CHECK(refused.error().message.find("its rating is 3 V") != std::string::npos);
  const auto file = bursts.folder.write("counts.csv", "pulses,crossings\n1,1\n2,2\n3,1\n");
  const auto curves = exchange::read_curves(file, pulse_count::kind());
  REQUIRE(curves);
  const auto take = run::import_take(bursts.store, bursts.study, curves->front().record, "counts.csv", "");
  REQUIRE(take);
  const auto read = run::analyse_take(bursts.store, bursts.study, *bursts.store.take(*take));
  REQUIRE(read);
  CHECK(read->reading.find("pulses.missed")->value == 2);
  const auto figures = printed([&] { return cli::analyse({.kind = pulse_count::kName, .inputs = {file}}); });
  CHECK(figures.find("pulses.missed") != std::string::npos);
  // A plan whose words make no sense together is refused with the reason.
  const auto plan = *pulse_count::kind().plan(bursts.study.plan);
  const auto nonsense = plan->with("threshold", "6 V", *run::surroundings_of(bursts.store, bursts.study));
  REQUIRE_FALSE(nonsense);
  CHECK(nonsense.error().message.find("never crossed") != std::string::npos);
}

}  // namespace third_kind
