#include <catch2/catch.hpp>
#include <set>

#include "core/support.h"
#include "exchange/columns.h"
#include "made_demo.h"
#include "run/study_template.h"
#include "study/kind.h"
#include "study/plan.h"

using namespace heron;
using nlohmann::json;

namespace templates {
namespace {

dossier::Store demo() {
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  auto store = dossier::Store::open_again(made + "/mudlark_buoy.heron");
  REQUIRE(store);
  return std::move(*store);
}

run::StudyTemplate of(dossier::Store& store, const char* name) {
  const auto study = run::template_of(store, *store.find_study(name));
  if (!study) FAIL(study.error().message);
  return *study;
}

}  // namespace

TEST_CASE("every study of the demo is written as a template and read back as it was", "[template][demo]") {
  auto store = demo();
  const auto studies = *store.studies();
  for (const auto& study : studies) {
    const auto kept = run::template_of(store, study);
    if (!kept) FAIL(kept.error().message);
    const auto back = run::template_from(run::to_json(*kept).dump(), "t.json");
    if (!back) FAIL(back.error().message);
    INFO(study.name);
    CHECK(back->name == study.name);
    CHECK(back->kind == study.kind);
    CHECK(back->plan == study.plan);
    CHECK(back->claims.size() == store.claims(study.id)->size());
    CHECK(back->masks.size() == store.masks(study.id)->size());
    CHECK(run::to_json(*back) == run::to_json(*kept));
    CHECK_FALSE(kept->pins.empty());
    // On its own assembly nothing is missing.
    CHECK(run::unmatched(*kept, *run::read_device(store, study.assembly)).empty());
  }
}

TEST_CASE("a template is put to another device with its pins and parts by other names", "[template]") {
  auto store = demo();
  auto passband = of(store, "Preamp passband");
  CHECK(passband.parts == std::vector<std::string>{"C4", "R3"});
  const test::Folder folder;
  auto other = dossier::Store::create(folder.file("other.heron"));
  REQUIRE(other->set_device({.name = "Other", .about = "filter", .circuit = "[pins]\nin = \"in\"\nout = \"out\"\n[part.R9]\nkind = \"resistor\"\nbetween = [\"in\", \"out\"]\nvalue = \"1.8 kohm\"\n[part.C1]\nkind = \"capacitor\"\nbetween = [\"out\", \"ground\"]\nvalue = \"62 nF\"\n"}));
  const auto device = run::read_device(*other);
  REQUIRE(device);
  const auto missing = run::unmatched(passband, *device);
  CHECK(missing.pins == std::vector<std::string>{"preamp in", "preamp out"});
  CHECK(missing.parts == std::vector<std::string>{"C4", "R3"});
  const auto here = run::renamed(passband, {{"preamp in", "in"}, {"preamp out", "out"}}, {{"R3", "R9"}, {"C4", "C1"}});
  CHECK(run::unmatched(here, *device).empty());
  REQUIRE(here.claims.front().expected);
  CHECK(here.claims.front().expected->find("R9") != std::string::npos);
  CHECK(here.claims.front().expected->find("R3") == std::string::npos);
  const auto id = run::add_study(*other, here, dossier::kMainAssembly);
  REQUIRE(id);
  const auto kind = study::find_kind(here.kind);
  const auto plan = kind->plan(other->find_study("Preamp passband")->plan);
  REQUIRE(plan);
  std::set<std::string> leads;
  for (const auto& lead : (*plan)->leads()) leads.insert(lead.pin);
  CHECK(leads == std::set<std::string>{"in"});
  for (const auto& chain : (*plan)->hookup()->chains) CHECK((chain.input.pin == "in" || chain.input.pin == "out"));
  // Once more under the same name.
  REQUIRE(run::add_study(*other, here, dossier::kMainAssembly));
  CHECK(other->find_study("Preamp passband (2)"));
  // Parts within words stay.
  auto within = passband;
  within.claims.front().expected = "R3/R33 + xR3";
  CHECK(*run::renamed(within, {}, {{"R3", "Q"}}).claims.front().expected == "Q/R33 + xR3");
}

TEST_CASE("how a study is looked at goes with its template and with a merged dossier", "[template][merge]") {
  const test::Folder folder;
  auto store = *dossier::Store::create(folder.file("a.heron"));
  auto from = demo();
  REQUIRE(run::add_study(store, of(from, "Preamp passband")));
  const auto id = store.find_study("Preamp passband")->id;
  CHECK(store.find_study("Preamp passband")->look.empty());
  const json look = {{"lens", "Nyquist"}, {"A", 20e3}, {"db", false}};
  REQUIRE(store.set_look(id, look));
  CHECK(store.find_study("Preamp passband")->look == look);
  const auto kept = run::template_of(store, *store.find_study("Preamp passband"));
  REQUIRE(kept);
  auto written = run::to_json(*kept);
  const auto back = run::template_from(written.dump(), "t.json");
  REQUIRE(back);
  const auto copy = run::add_study(store, *back, dossier::kMainAssembly);
  REQUIRE(copy);
  CHECK(store.find_study("Preamp passband (2)")->look == look);
  auto other = *dossier::Store::create(folder.file("b.heron"));
  REQUIRE(other.merge(folder.file("a.heron")));
  CHECK(other.find_study("Preamp passband")->look == look);
  CHECK(dossier::Store::open(folder.file("a.heron"))->damage().empty());
  // One without a look, or with nonsense in its place, is still a template.
  for (const auto& nonsense : {json(), json(7), json("wide"), json::array({1})}) {
    written["look"] = nonsense;
    CHECK(run::template_from(written.dump(), "t.json")->look == json::object());
  }
  written.erase("look");
  CHECK(run::template_from(written.dump(), "t.json"));
}

TEST_CASE("a new dossier begins with templates, each on the assembly of its name", "[template]") {
  auto store = demo();
  const test::Folder folder;
  auto fresh = dossier::Store::create(folder.file("fresh.heron"));
  REQUIRE(run::add_study(*fresh, of(store, "Preamp passband")));
  REQUIRE(run::add_study(*fresh, of(store, "Solar string")));
  REQUIRE(run::add_study(*fresh, of(store, "Preamp distortion")));
  const auto assemblies = *fresh->assemblies();
  REQUIRE(assemblies.size() == 2);
  CHECK(assemblies[0].second == "hydrophone preamp");
  CHECK(fresh->find_study("Preamp distortion")->assembly == dossier::kMainAssembly);
  CHECK(fresh->find_study("Solar string")->assembly == assemblies[1].first);
  CHECK(fresh->claims(fresh->find_study("Preamp passband")->id)->size() == store.claims(store.find_study("Preamp passband")->id)->size());
}

TEST_CASE("what is no template is told with its file", "[template][hostile]") {
  auto store = demo();
  const auto good = run::to_json(of(store, "Preamp passband"));
  const auto refused = [&](const json& bad, const char* why) {
    const auto read = run::template_from(bad.is_string() ? bad.get<std::string>() : bad.dump(), "bad.json");
    INFO(why);
    REQUIRE_FALSE(read);
    CHECK(read.error().fault == Fault::input);
    CHECK(read.error().message.starts_with("bad.json: "));
    CHECK(read.error().message.find(why) != std::string::npos);
  };
  const auto with = [&](const char* key, const json& value) {
    auto out = good;
    out[key] = value;
    return out;
  };
  refused("", "no template");
  refused("{\"a\": 1}", "no template");
  refused("[1, 2", "no template");
  refused(with("heron_study_template", 2), "form 2");
  refused(with("heron_study_template", "x"), "cannot be read");
  refused(with("kind", "horoscope"), "\"horoscope\"");
  refused(with("name", ""), "no name");
  refused(with("name", 7), "cannot be read");
  refused(with("plan", 7), "");
  refused(with("settings", {{"no_such_setting", "1"}}), "no_such_setting");
  refused(with("claims", {{{"text", "a"}}}), "cannot be read");
  refused(with("masks", {{{"text", "a"}, {"curve", "gain"}, {"upper", "x"}, {"lower", json::array()}}}), "cannot be read");
}

TEST_CASE("a template ships for each kind, and can be begun with", "[template]") {
  std::set<std::string> kinds;
  const test::Folder folder;
  auto fresh = dossier::Store::create(folder.file("fresh.heron"));
  REQUIRE(fresh);
  for (const auto& file : std::filesystem::directory_iterator(std::string(HERON_SOURCE) + "/mudlark/templates")) {
    const auto text = exchange::read_file(file.path().string());
    REQUIRE(text);
    const auto study = run::template_from(*text, file.path().string());
    if (!study) FAIL(study.error().message);
    kinds.insert(study->kind);
    CHECK(run::add_study(*fresh, *study));
  }
  std::set<std::string> all;
  for (const auto* kind : study::kinds()) all.insert(std::string(kind->name));
  // Other tests may have added kinds of their own.
  CHECK(kinds.size() == 7);
  CHECK(std::includes(all.begin(), all.end(), kinds.begin(), kinds.end()));
}

}  // namespace templates
