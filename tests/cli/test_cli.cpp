#include <sys/wait.h>
#include <unistd.h>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include <chrono>
#include <csignal>
#include <fstream>
#include <future>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/support.h"
#include "dossier/store.h"
#include "exchange/columns.h"
#include "made_demo.h"
#include "mudlark/recipe.h"

using namespace heron;
using Catch::Matchers::Contains;
using nlohmann::json;

namespace {

struct Outcome {
  int status = -1;
  std::string out, err;

  bool one_line_of_complaint() const { return err.starts_with("heron: ") && err.find('\n') == err.size() - 1; }
};

/// Runs the real program; every argument is passed as it is. With `stop_after` it is interrupted once its errors say
/// that; `typed` is what it is answered.
Outcome heron_run(const std::vector<std::string>& arguments, const std::string& stop_after = "", const std::string& typed = "") {
  const test::Folder folder;
  const auto out = folder.file("out"), err = folder.file("err"), in = folder.write("in", typed);
  const pid_t child = fork();
  if (child == 0) {
    if (!freopen(in.c_str(), "r", stdin) || !freopen(out.c_str(), "w", stdout) || !freopen(err.c_str(), "w", stderr)) _exit(126);
    std::vector<char*> argv = {const_cast<char*>(HERON_PROGRAM)};
    for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
    argv.push_back(nullptr);
    execv(HERON_PROGRAM, argv.data());
    _exit(127);
  }
  for (int tries = 0; !stop_after.empty() && tries < 2000; ++tries) {
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
    const auto said = exchange::read_file(err);
    if (!said || said->find(stop_after) == std::string::npos) continue;
    kill(child, SIGINT);
    break;
  }
  int status = 0;
  waitpid(child, &status, 0);
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, *exchange::read_file(out), *exchange::read_file(err)};
}

std::string low_pass_csv(int points = 101) {
  std::string text = "frequency (kHz),gain (dB),phase (deg)\n";
  for (int k = 0; k < points; ++k) {
    const double f = 10 * std::pow(1e4, double(k) / (points - 1)), r = f / 1000;
    text += fmt::format("{},{},{}\n", f / 1000, -10 * std::log10(1 + r * r), -std::atan(r) * 180 / std::numbers::pi);
  }
  return text;
}

double figure(const json& j, const std::string& key) {
  for (const auto& f : j.at("figures"))
    if (f.at("key") == key) return f.at("value");
  FAIL("no figure " << key);
  return 0;
}

}  // namespace

TEST_CASE("what is set by hand is asked for on the command line, and nobody who answers stops it", "[cli]") {
  const test::Folder folder;
  const auto file = folder.file("by_hand.heron");
  std::filesystem::copy_file(test::made_demo() + "/mudlark_buoy.heron", file);
  const std::string name = "Battery converter at two clocks";
  {
    auto store = dossier::Store::open_again(file);
    REQUIRE(store);
    const auto study = store->find_study(name);
    REQUIRE(study);
    auto plan = study->plan;
    plan["told_by"] = "hand";
    plan["loads"] = {0.1, 1.0};
    REQUIRE(store->set_plan(study->id, plan));
  }
  const auto points = [&] {
    auto store = dossier::Store::open_again(file);
    REQUIRE(store);
    return store->takes(store->find_study(name)->id)->back().points;
  };
  const auto whole = heron_run({"take", file, name}, "", "\n\n");
  CHECK_THAT(test::spaced(whole.err), Contains("Set switching frequency to 250 kHz, then press Enter.") && Contains("Set switching frequency to 500 kHz, then press Enter."));
  CHECK(whole.status <= 1);
  CHECK(points() == 4);
  const auto half = heron_run({"take", file, name}, "", "\n");
  CHECK(half.status > 1);
  CHECK_THAT(half.err, Contains("what was read is kept"));
  CHECK(points() == 2);
}

TEST_CASE("analyse gives figures as JSON and as a table", "[cli]") {
  const test::Folder folder;
  const auto file = folder.write("lp.csv", low_pass_csv());
  const auto run = heron_run({"analyse", "response", file, "--json", "--figure", "gain@1kHz", "--figure",
                              "slope(10kHz,100kHz)", "--set", "drop=6.0206dB"});
  REQUIRE(run.status == 0);
  const auto j = json::parse(run.out);
  CHECK(j.at("kind") == "response");
  CHECK(j.at("inputs")[0] == file);
  CHECK(figure(j, "corner.high") == Approx(1000 * std::sqrt(3.0)).epsilon(5e-3));
  CHECK(figure(j, "gain@1kHz") == Approx(-3.0103).margin(1e-3));
  CHECK(figure(j, "slope(10kHz,100kHz)") == Approx(-20).margin(0.1));
  bool absent = false;
  for (const auto& a : j.at("absent"))
    absent = absent || (a.at("key") == "corner.low" && !a.at("reason").get<std::string>().empty());
  CHECK(absent);
  const auto table = heron_run({"analyse", "response", file});
  CHECK(table.status == 0);
  CHECK_THAT(table.out, Catch::Matchers::Contains("corner.high") && Catch::Matchers::Contains("kHz"));
}

TEST_CASE("analyse judges claims and tells failure by its status", "[cli]") {
  const test::Folder folder;
  const auto file = folder.write("lp.csv", low_pass_csv());
  const auto good =
      folder.write("good.toml", "[[claim]]\nfigure = \"gain@1kHz\"\nlower = \"-3.2 dB\"\nupper = \"-2.8 dB\"\n");
  const auto bad =
      folder.write("bad.toml",
                   "[[claim]]\ntext = \"High corner\"\nfigure = \"corner.high\"\nlower = \"2 kHz\"\n[[mask]]\ncurve = "
                   "\"gain\"\nlower = [[\"20 Hz\", \"-1 dB\"], [\"100 Hz\", \"-1 dB\"]]\n");
  CHECK(heron_run({"analyse", "response", file, "--claims", good}).status == 0);
  const auto failed = heron_run({"analyse", "response", file, "--claims", bad, "--json"});
  CHECK(failed.status == 1);
  const auto claims = json::parse(failed.out).at("claims");
  CHECK(claims[0].at("verdict") == "fails");
  CHECK(claims[0].at("margin").get<double>() == Approx(-1000).epsilon(0.02));
  CHECK(claims[0].at("upper").is_null());
  CHECK(claims[1].at("verdict") == "meets");
}

TEST_CASE("wrong use is status 2, bad input 3, both in one line", "[cli]") {
  const test::Folder folder;
  const auto file = folder.write("lp.csv", low_pass_csv());
  struct Row {
    std::vector<std::string> arguments;
    int status;
    const char* says;
  };
  const std::vector<Row> rows = {
      {{}, 2, ""},
      {{"fly"}, 2, ""},
      {{"analyse", "colour", file}, 2, "kind"},
      {{"analyse", "response", file, "--wings"}, 2, "--wings"},
      {{"analyse", "response", file, "--set", "colour=red"}, 2, "colour"},
      {{"analyse", "response", file, "--set", "drop"}, 2, "KEY=VALUE"},
      {{"analyse", "response", file, "--set", "drop=-3"}, 2, "above zero"},
      {{"analyse", "response", file, "--figure", "corner.middle"}, 2, "corner.middle"},
      {{"analyse", "response", file, "--column", "colour=1"}, 2, "colour"},
      {{"analyse", "response", file, "--column", "gain=loudness"}, 3, "1 frequency, 2 gain, 3 phase"},
      {{"analyse", "response", folder.file("none.csv")}, 3, "no such file"},
      {{"analyse", "response", folder.write("x.csv", "frequency,gain\n1,2\n1,3\n")}, 3, "twice"},
      {{"analyse", "response", folder.write("y.csv", "frequency,gain\n1,2\n2,zz\n")}, 3, "y.csv:3"},
      {{"analyse", "response", folder.write("z.csv", "")}, 3, "z.csv:1"},
      {{"show", folder.file("none.heron")}, 3, "no such file"},
      {{"judge", file}, 3, "not a dossier"},
      {{"new", file}, 3, "exists already"},
      {{"demo", "/proc/nowhere"}, 3, "cannot be made"}};
  for (const auto& row : rows) {
    const auto run = heron_run(row.arguments);
    INFO((row.arguments.empty() ? "(nothing)" : row.arguments.back()) << ": " << run.err);
    CHECK(run.status == row.status);
    CHECK(run.one_line_of_complaint());
    CHECK_THAT(run.err, Catch::Matchers::Contains(row.says));
    CHECK(run.out.empty());
  }
  CHECK(heron_run({"--help"}).status == 0);
  CHECK(heron_run({"analyse", "--help"}).status == 0);
  CHECK_THAT(heron_run({"--version"}).out, Catch::Matchers::Contains("heron"));
}

TEST_CASE("a dossier is made, taken, judged, shown and exported without a window", "[long][cli]") {
  const test::Folder folder;
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  CHECK_THAT(heron_run({"demo", made}).err, Catch::Matchers::Contains("there already"));
  const auto dossier = folder.file("mudlark_buoy.heron");
  std::filesystem::copy(made + "/mudlark_buoy.heron", dossier);
  const auto takes = [&] {
    auto store = dossier::Store::open_again(dossier);
    REQUIRE(store);
    return store->takes(store->find_study("Preamp passband")->id)->size();
  };
  CHECK(takes() == 2);
  const auto taken = heron_run({"take", dossier, "Preamp passband", "--note", "by script", "--seed", "5"});
  CHECK(taken.status == 0);
  CHECK_THAT(taken.err, Catch::Matchers::Contains("of 41 points"));
  const auto shown = heron_run({"show", dossier, "--json"});
  REQUIRE(shown.status == 0);
  const auto after = json::parse(shown.out).at("studies")[0].at("takes");
  REQUIRE(after.size() == 3);
  CHECK(after[2].at("note") == "by script");
  CHECK(after[2].at("state") == "finished");
  CHECK(figure(after[2], "corner.high") == Approx(figure(after[1], "corner.high")).epsilon(5e-3));
  const auto judged = json::parse(heron_run({"judge", dossier, "--json"}).out).at("claims");
  CHECK(judged.size() == 99);
  CHECK(judged[0].at("verdict") == "meets");
  CHECK(heron_run({"take", dossier, "No such study"}).status == 2);
  CHECK(heron_run({"take", dossier, "Preamp passband", "--bench", "gold"}).status == 2);
  CHECK(heron_run({"export", dossier, folder.file("out"), "--take", "3"}).status == 0);
  CHECK(std::filesystem::exists(folder.file("out/preamp-passband-take-3/points.csv")));
  CHECK(std::filesystem::exists(folder.file("out/preamp-passband-take-3/records/point-0041-pass-1.csv")));
  CHECK(json::parse(*exchange::read_file(folder.file("out/preamp-passband-take-3/take.json"))).at("setup").at("seed") ==
        5);
  CHECK(heron_run({"export", dossier, folder.file("out"), "--take", "77"}).status == 2);
  CHECK(
      heron_run({"import", dossier, folder.file("out/preamp-passband-take-3/points.csv"), "--study", "Preamp passband"})
          .status == 0);
  CHECK(takes() == 4);

  CHECK(heron_run({"new", folder.file("n.heron")}).status == 0);
  CHECK_THAT(heron_run({"show", folder.file("n.heron")}).out, Catch::Matchers::Contains("no studies yet"));
  CHECK_THAT(heron_run({"judge", folder.file("n.heron")}).out, Catch::Matchers::Contains("no claims yet"));
}

TEST_CASE("the same seed takes the same take", "[long][cli]") {
  const test::Folder folder;
  REQUIRE(demo::write_practice(folder.path().string()));
  const auto dossier = folder.file(demo::kPracticeName);
  for (int i = 0; i < 2; ++i) REQUIRE(heron_run({"take", dossier, "Sound", "--seed", "42"}).status == 0);
  const auto takes = json::parse(heron_run({"show", dossier, "--json"}).out).at("studies")[0].at("takes");
  CHECK(takes[0].at("figures").size() > 5);
  CHECK(takes[0].at("figures") == takes[1].at("figures"));
}

TEST_CASE("two programs take into one dossier at the same time", "[cli]") {
  const test::Folder folder;
  REQUIRE(demo::write_practice(folder.path().string()));
  const auto dossier = folder.file(demo::kPracticeName);
  std::vector<std::future<Outcome>> running;
  for (const char* seed : {"1", "2"})
    running.push_back(std::async(std::launch::async, [&, seed] {
      return heron_run({"take", dossier, "Sound", "--seed", seed, "--note", std::string("seed ") + seed});
    }));
  for (auto& one : running) {
    const auto outcome = one.get();
    INFO(outcome.err);
    CHECK(outcome.status == 0);
  }
  auto store = dossier::Store::open(dossier);
  REQUIRE(store);
  CHECK(store->damage().empty());
  CHECK(store->check_all()->empty());
  const auto takes = store->takes(store->find_study("Sound")->id);
  REQUIRE(takes);
  REQUIRE(takes->size() == 2);
  CHECK(takes->at(0).number == 1);
  CHECK(takes->at(1).number == 2);
  CHECK(takes->at(0).note != takes->at(1).note);
  for (const auto& take : *takes) {
    CHECK(take.state == dossier::TakeState::finished);
    CHECK(take.points == take.planned);
    CHECK(int(store->points(take.id)->size()) == take.points);
  }
}

TEST_CASE("a take that is told to end as soon as it listens ends with status 5", "[cli]") {
  const test::Folder folder;
  REQUIRE(demo::write_practice(folder.path().string()));
  const auto dossier = folder.file(demo::kPracticeName), silent = folder.file("silent");
  const pid_t child = fork();
  if (child == 0) {
    if (!freopen(silent.c_str(), "w", stdout) || !freopen(silent.c_str(), "w", stderr)) _exit(126);
    execl(HERON_PROGRAM, HERON_PROGRAM, "take", dossier.c_str(), "Minutes long", nullptr);
    _exit(127);
  }
  // As soon as its list of caught signals has SIGTERM; what comes before is the loader's, or still this program.
  const auto self = std::filesystem::read_symlink("/proc/self/exe");
  const auto listens = [&] {
    std::error_code gone;
    if (std::filesystem::read_symlink(fmt::format("/proc/{}/exe", child), gone) == self || gone) return false;
    std::ifstream status(fmt::format("/proc/{}/status", child));
    for (std::string line; std::getline(status, line);)
      if (line.starts_with("SigCgt:")) return (std::stoull(line.substr(7), nullptr, 16) >> (SIGTERM - 1) & 1) != 0;
    return false;
  };
  bool heard = false;
  for (int tries = 0; tries < 200'000 && !(heard = listens()); ++tries)
    std::this_thread::sleep_for(std::chrono::microseconds(50));
  REQUIRE(heard);
  kill(child, SIGTERM);
  int status = 0;
  waitpid(child, &status, 0);
  REQUIRE(WIFEXITED(status));
  CHECK(WEXITSTATUS(status) == 5);
}

TEST_CASE("Ctrl+C stops a take with status 5 and keeps what was read", "[cli]") {
  const test::Folder folder;
  REQUIRE(demo::write_practice(folder.path().string()));
  const auto dossier = folder.file(demo::kPracticeName);
  const auto run = heron_run({"take", dossier, "Minutes long"}, "3 of 73 points");
  CHECK(run.status == 5);
  const auto studies = json::parse(heron_run({"show", dossier, "--json"}).out).at("studies");
  int stopped = 0;
  for (const auto& study : studies)
    for (const auto& take : study.at("takes")) stopped += take.at("state") == "stopped" && !take.at("figures").empty();
  CHECK(stopped == 1);
}

TEST_CASE("a serious finding of preflight is status 4 unless it is accepted by its key", "[cli]") {
  const test::Folder folder;
  REQUIRE(demo::write_practice(folder.path().string()));
  const auto file = folder.file(demo::kPracticeName);
  const auto refused = heron_run({"take", file, "Clipped"});
  CHECK(refused.status == 4);
  CHECK(refused.one_line_of_complaint());
  CHECK(refused.err.find("its range ends at 100 mV") != std::string::npos);
  CHECK(refused.out.find("before the take, serious (input.clipped)") != std::string::npos);
  const auto nothing = heron_run({"take", file, "Clipped", "--accept", "range.underused"});
  CHECK(nothing.status == 2);
  CHECK(nothing.err.find("nothing to accept") != std::string::npos);
  const auto taken = heron_run({"take", file, "Clipped", "--accept", "input.clipped"});
  CHECK(taken.status == 0);
  CHECK(taken.out.find("reached the end of its input's range") != std::string::npos);
  CHECK(heron_run({"take", file, "Over rating", "--accept", "rating.near", "--accept", "input.clipped"}).status == 4);
  CHECK(heron_run({"take", file, "Sound", "--bench", "imaginary"}).status == 2);
}

TEST_CASE("options that would do nothing, or twice, are refused, ratios are factors", "[cli]") {
  const test::Folder folder;
  const auto table = folder.write("d.csv", "voltage (V),drop (mV)\n0,0\n1,5\n2,10\n3,15\n");
  const std::vector<std::string> base = {"analyse",      "iv",     table,      "--column",
                                         "current=drop", "--json", "--figure", "current@2V"};
  const auto with = [&](std::vector<std::string> more) {
    auto all = base;
    all.insert(all.end(), more.begin(), more.end());
    return heron_run(all);
  };
  CHECK(with({}).status == 3);  // millivolts are no amperes
  const auto scaled = with({"--scale", "current=1/100"});
  REQUIRE(scaled.status == 0);
  CHECK(json::parse(scaled.out).at("figures").at(0).at("value").get<double>() == Approx(1e-4));
  CHECK(with({"--scale", "current=0"}).status == 2);
  CHECK(with({"--scale", "current=1", "--scale", "current=2"}).status == 2);
  CHECK(with({"--scale", "current=1", "--column", "current=2"}).status == 2);
  CHECK(with({"--scale", "current=1", "--set", "parameter=S11"}).status == 2);
  CHECK(with({"--scale", "current=1", "--scale", "step=2"}).status == 2);
  const auto network = folder.write("n.s1p", "# Hz S RI R 50\n10 0.1 0\n20 0.1 0\n");
  CHECK(heron_run({"analyse", "response", network, "--scale", "gain=2"}).status == 2);
  // Times are said only of samples that have none.
  std::string timed = "time (s),v (V)\n", bare = "v (V)\n";
  for (int k = 0; k < 200; ++k) {
    const double v = std::sin(0.5 * k);
    timed += fmt::format("{},{}\n", k * 1e-3, v);
    bare += fmt::format("{}\n", v);
  }
  const auto with_times = folder.write("timed.csv", timed), without = folder.write("bare.csv", bare);
  for (const auto& [kind, said] : {std::pair{"waveform", "step=1ms"}, {"waveform", "start=0"}, {"spectrum", "sample_rate=1kHz"}})
    CHECK(heron_run({"analyse", kind, with_times, "--set", said}).status == 2);
  CHECK(heron_run({"analyse", "waveform", without, "--set", "step=1ms", "--set", "start=1s"}).status == 0);
  CHECK(heron_run({"analyse", "spectrum", without, "--set", "sample_rate=1kHz"}).status == 0);
  const auto percent = with({"--scale", "current=0.01", "--set", "loop_threshold=2"});
  CHECK(json::parse(percent.out).at("settings").at("loop_threshold") == "2 %");
}

TEST_CASE("a note that is null, bytes that are no UTF-8 and a curve where another begins are read as what they are",
          "[cli]") {
  const test::Folder folder;
  CHECK(heron_run({"analyse", "response",
                   folder.write("n.json", R"({"note":null,"curve":{"frequency":[1,2],"gain":[0,1]}})")})
            .status == 0);
  std::string two = "voltage,current\n";
  for (const double gain : {1.0, 2.0})
    for (int k = 0; k <= 20; ++k) two += fmt::format("{},{}\n", 0.1 * k, gain * 1e-3 * k);
  const auto both = heron_run({"analyse", "iv", folder.write("two.csv", two), "--json", "--figure", "current@1V,2"});
  REQUIRE(both.status == 0);
  const auto read = json::parse(both.out);
  for (const auto& f : read.at("figures"))
    if (f.at("key") == "current@1V,2") CHECK(f.at("value").get<double>() == Approx(20e-3));
}

TEST_CASE("what is laid aside is never judged, and the file can be checked whole", "[long][cli]") {
  const test::Folder folder;
  REQUIRE(demo::write_practice(folder.path().string()));
  const auto dossier = folder.file(demo::kPracticeName), name = demo::sound_study_name();
  {
    auto store = dossier::Store::open(dossier);
    REQUIRE(store);
    const auto study = store->find_study(name);
    REQUIRE(study);
    REQUIRE(store->add_claim(study->id, {.text = "High corner", .figure = "corner.high", .lower = "18 kHz"}));
  }
  REQUIRE(heron_run({"take", dossier, name}).status == 0);
  const auto sound = heron_run({"show", dossier, "--check"});
  CHECK(sound.status == 0);
  CHECK(sound.out.find("sound") != std::string::npos);
  const auto before = json::parse(heron_run({"judge", dossier, "--json"}).out);
  const auto curve = folder.write("ref.csv", low_pass_csv());
  REQUIRE(heron_run({"import", dossier, curve, "--study", name, "--aside"}).status == 0);
  CHECK(json::parse(heron_run({"judge", dossier, "--json"}).out) == before);
  REQUIRE(heron_run({"import", dossier, curve, "--study", name}).status == 0);
  CHECK(json::parse(heron_run({"judge", dossier, "--json"}).out) != before);
  const auto shown = json::parse(heron_run({"show", dossier, "--json"}).out);
  CHECK_FALSE(shown.at("device").at("known_only_to_a_simulation").empty());
}

TEST_CASE("an import of many files ends between two of them when it is stopped", "[cli]") {
  const test::Folder folder;
  const auto file = folder.file("a.heron");
  REQUIRE(heron_run({"new", file}).status == 0);
  {
    auto store = dossier::Store::open(file);
    REQUIRE(store);
    REQUIRE(store->add_study({.name = "Filter", .kind = "response"}));
  }
  std::vector<std::string> arguments = {"import", file};
  for (int k = 0; k < 60; ++k) arguments.push_back(folder.write(fmt::format("{}.csv", k), low_pass_csv(4000)));
  arguments.insert(arguments.end(), {"--study", "Filter"});
  const auto stopped = heron_run(arguments, "2 of 60 files");
  CHECK(stopped.status == 5);
  auto store = dossier::Store::open(file);
  REQUIRE(store);
  const auto study = store->find_study("Filter");
  REQUIRE(study);
  const auto takes = store->takes(study->id);
  REQUIRE(takes);
  CHECK(takes->size() >= 2);
  CHECK(takes->size() < 60);
  for (const auto& take : *takes) {
    CHECK(take.state == dossier::TakeState::finished);
    CHECK(store->points(take.id)->size() == 1);
  }
}

TEST_CASE("every study of every named unit is taken, what fails to run is told and the rest goes on", "[cli]") {
  const test::Folder folder;
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  const auto file = folder.file("two.heron");
  {
    auto demo = dossier::Store::open_again(made + "/mudlark_buoy.heron");
    auto store = dossier::Store::create(file);
    REQUIRE(demo);
    REQUIRE(store);
    REQUIRE(store->set_device(*demo->device()));
    for (const char* unit : {"unit 03", "unit 07"}) REQUIRE(store->add_unit(unit));
    auto study = *demo->find_study("Preamp passband");
    const auto id = store->add_study({.name = study.name, .kind = study.kind, .plan = study.plan, .settings = {}});
    REQUIRE(id);
    REQUIRE(store->add_claim(*id, {.text = "Loud", .figure = "gain@1kHz", .lower = "80 dB"}));
    study.plan["drive_pin"] = "nowhere";
    REQUIRE(store->add_study({.name = "Broken", .kind = study.kind, .plan = study.plan, .settings = {}}));
  }
  CHECK(heron_run({"take", file}).status == 2);
  CHECK(heron_run({"take", file, "Broken", "--all"}).status == 2);
  CHECK(heron_run({"take", file, "--all", "--unit", "nobody"}).status == 2);
  const auto all = heron_run({"take", file, "--all", "--unit", "unit 03", "--unit", "unit 07", "--seed", "1"});
  CHECK(all.status == 4);
  CHECK_THAT(all.err, Catch::Matchers::Contains("unit 03, Broken:"));
  CHECK_THAT(all.out, Catch::Matchers::Contains("unit 07, Preamp passband:"));
  auto store = dossier::Store::open_again(file);
  REQUIRE(store);
  const auto takes = *store->takes(store->find_study("Preamp passband")->id);
  REQUIRE(takes.size() == 2);
  CHECK(takes[0].unit == "unit 03");
  CHECK(takes[1].unit == "unit 07");
  // The bench is left with the unit that it had.
  CHECK(store->current_unit()->name != "unit 07");
  // Where all run, a claim that fails says so.
  CHECK(heron_run({"take", file, "Preamp passband", "--unit", "unit 07", "--seed", "1"}).status == 1);
}

TEST_CASE("dossiers are brought together, exported whole and taken back, each take once", "[cli][merge][long]") {
  const test::Folder folder;
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  const auto demo = folder.file("demo.heron");
  std::filesystem::copy_file(made + "/mudlark_buoy.heron", demo);
  const auto here = folder.file("here.heron");
  REQUIRE(heron_run({"new", here}).status == 0);
  const auto first = heron_run({"import", here, demo});
  CHECK(first.status == 0);
  CHECK_THAT(first.out, Contains("58 takes brought in, 0 known"));
  CHECK_THAT(heron_run({"import", here, demo}).out, Contains("0 takes brought in, 58 known"));
  CHECK(heron_run({"judge", here, "--json"}).out == heron_run({"judge", demo, "--json"}).out);
  // Everything into a folder, and back out of it.
  const auto exported = folder.file("exported");
  REQUIRE(heron_run({"export", demo, exported}).status == 0);
  const auto back = folder.file("back.heron");
  REQUIRE(heron_run({"new", back}).status == 0);
  CHECK(heron_run({"import", back, exported}).status == 0);
  auto a = dossier::Store::open(demo), b = dossier::Store::open(back);
  REQUIRE(a);
  REQUIRE(b);
  const auto studies = *a->studies();
  for (const auto& study : studies) {
    const auto theirs = *a->takes(study.id), mine = *b->takes(b->find_study(study.name)->id);
    REQUIRE(theirs.size() == mine.size());
    for (std::size_t k = 0; k < theirs.size(); ++k) {
      const auto p = *a->points(theirs[k].id), q = *b->points(mine[k].id);
      REQUIRE(p.size() == q.size());
      for (std::size_t i = 0; i < p.size(); ++i) {
        CHECK(p[i].setting.json() == q[i].setting.json());
        REQUIRE(p[i].records.size() == q[i].records.size());
        for (std::size_t r = 0; r < p[i].records.size(); ++r)
          for (std::size_t c = 0; c < p[i].records[r].channels.size(); ++c) {
            CHECK(p[i].records[r].channels[c].counts == q[i].records[r].channels[c].counts);
            CHECK(p[i].records[r].channels[c].numbers == q[i].records[r].channels[c].numbers);
          }
      }
    }
  }
  // What does not go together.
  CHECK(heron_run({"import", here, demo, folder.write("a.csv", "frequency (Hz),gain (dB)\n1,0\n")}).status == 2);
  CHECK(heron_run({"import", here, demo, "--study", "Preamp passband"}).status == 2);
  CHECK(heron_run({"import", here, here}).status == 2);
  CHECK(heron_run({"import", here, folder.write("b.csv", "frequency (Hz),gain (dB)\n1,0\n")}).status == 2);
  const auto other = folder.file("other.heron");
  {
    auto store = dossier::Store::create(other);
    REQUIRE(store->set_device({.name = "Another buoy", .about = {}, .circuit = {}}));
  }
  const auto refused = heron_run({"import", here, other});
  CHECK(refused.status == 3);
  CHECK(refused.one_line_of_complaint());
  CHECK_THAT(refused.err, Contains("Another buoy"));
  CHECK(heron_run({"import", here, folder.path().string()}).status == 3);
}

TEST_CASE("a report is one file, or none where it cannot be written", "[cli][report]") {
  const test::Folder folder;
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  const auto demo = folder.file("demo.heron");
  std::filesystem::copy_file(made + "/mudlark_buoy.heron", demo);
  const auto out = folder.file("r.html");
  const std::vector<std::string> small = {"--study", "Preamp passband", "--unit", "unit 03"};
  const auto with = [&](std::vector<std::string> args) {
    args.insert(args.end(), small.begin(), small.end());
    return heron_run(args);
  };
  CHECK(with({"report", demo, out}).status == 0);
  const auto page = *exchange::read_file(out);
  CHECK_THAT(page, Contains("unit 03, take 1"));
  CHECK(page.find("unit 07") == std::string::npos);
  CHECK(page.ends_with("</html>\n"));
  CHECK(heron_run({"report", demo, out, "--unit", "unit 99"}).status == 2);
  CHECK(heron_run({"report", demo, out, "--study", "Horoscope"}).status == 2);
  CHECK(heron_run({"report", demo, folder.file("r.doc")}).status == 2);
  CHECK(heron_run({"report", demo, folder.file("no/where/r.html")}).status == 3);
  CHECK(heron_run({"report", folder.file("none.heron"), out}).status == 3);
  // A disk that is full in the middle: the shell allows files of 64 kB, enough for the dossier's own and not for the report. The old report stays as it was.
  const auto full = "trap '' XFSZ; ulimit -f 64; '" + std::string(HERON_PROGRAM) + "' report '" + demo + "' '" + out + "' --unit 'unit 07' 2>'" + folder.file("err") + "'";
  const int status = std::system(("bash -c \"" + full + "\"").c_str());
  CHECK(WEXITSTATUS(status) == 3);
  CHECK_THAT(*exchange::read_file(folder.file("err")), Contains("r.html"));
  CHECK(*exchange::read_file(out) == page);
  for (const auto& file : std::filesystem::directory_iterator(folder.path())) CHECK(file.path().filename().string().find(".part") == std::string::npos);
}

TEST_CASE("a report is printed where pages are wanted", "[cli][report][pdf]") {
  const test::Folder folder;
  const auto made = test::made_demo();
  REQUIRE_FALSE(made.empty());
  const auto out = folder.file("r.pdf");
  REQUIRE(heron_run({"report", made + "/mudlark_buoy.heron", out, "--study", "Preamp passband", "--unit", "unit 03"}).status == 0);
  CHECK(exchange::read_file(out)->starts_with("%PDF-"));
}

TEST_CASE("a dossier begins with templates, or is not made at all", "[cli][template]") {
  const test::Folder folder;
  const auto home = std::string(HERON_SOURCE) + "/mudlark/templates/";
  const auto file = folder.file("new.heron");
  const auto bad = heron_run({"new", file, "--template", home + "preamp-passband.json", "--template", folder.write("bad.json", "{}")});
  CHECK(bad.status == 3);
  CHECK(bad.one_line_of_complaint());
  CHECK_FALSE(std::filesystem::exists(file));
  REQUIRE(heron_run({"new", file, "--template", home + "preamp-passband.json", "--template", home + "solar-string.json"}).status == 0);
  const auto shown = heron_run({"show", file});
  CHECK_THAT(shown.out, Contains("Preamp passband (response)"));
  CHECK_THAT(shown.out, Contains("Solar string (iv)"));
  CHECK(heron_run({"new", folder.file("x.heron"), "--template", folder.file("none.json")}).status == 3);
}

TEST_CASE("each exit status is what it is said to be, with one line that begins with the program's name", "[cli]") {
  const test::Folder folder;
  const auto csv = folder.write("filter.csv", low_pass_csv());
  const auto claim = [&](const char* name, const char* least) {
    return folder.write(name,
                        fmt::format("[[claim]]\ntext = \"Corner\"\nfigure = \"corner.high\"\nlower = \"{}\"\n", least));
  };
  const auto met = heron_run({"analyse", "response", csv, "--claims", claim("met.toml", "900 Hz")});
  CHECK(met.status == 0);
  CHECK(met.err.empty());
  CHECK(heron_run({"analyse", "response", csv, "--claims", claim("missed.toml", "1.1 kHz")}).status == 1);
  const auto one_line = [](const Outcome& run, int status) {
    CHECK(run.status == status);
    CHECK(run.one_line_of_complaint());
    return run.err;
  };
  one_line(heron_run({"analyse", "spectra", csv}), 2);
  one_line(heron_run({"analyse", "response", csv, "--figure", "corner.middle"}), 2);
  one_line(heron_run({"analyse", "response", csv, "--set", "sharpness=2"}), 2);
  CHECK(heron_run({"analyse", "response", csv, "--no-such-option"}).status == 2);
  CHECK(heron_run({"no-such-command"}).status == 2);
  CHECK_THAT(one_line(heron_run({"analyse", "response", folder.file("none.csv")}), 3), Contains("none.csv"));
  const auto broken = folder.write("broken.csv", "frequency (Hz),gain (dB)\n1,0\n2,-1\n3,x\n4,-3\n");
  CHECK_THAT(one_line(heron_run({"analyse", "response", broken}), 3), Contains("broken.csv") && Contains("4"));
  CHECK_THAT(one_line(heron_run({"analyse", "response", csv, "--claims", folder.write("bad.toml", "[[claim]\n")}), 3),
             Contains("bad.toml"));
  one_line(heron_run({"show", folder.write("no.heron", "not a dossier")}), 3);
}
