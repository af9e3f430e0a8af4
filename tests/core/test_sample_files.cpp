#include <catch2/catch.hpp>
#include <sndfile.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <numbers>

#include "exchange/curves.h"
#include "exchange/hierarchy.h"
#include "exchange/sound.h"
#include "run/export.h"
#include "study/applied.h"
#include "waveform_support.h"

using namespace heron;

namespace sample_files {
namespace {

const study::Kind& waveform() { return *study::find_kind("waveform"); }

/// Two channels: a ramp of sixteenths, and its negative half.
void write_sound(const std::string& path, int format, int frames = 1000) {
  SF_INFO about{};
  about.samplerate = 48000;
  about.channels = 2;
  about.format = format;
  SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &about);
  REQUIRE(file);
  std::vector<double> all;
  for (int k = 0; k < frames; ++k) {
    all.push_back((k % 16 - 8) / 16.0);
    all.push_back(-(k % 16 - 8) / 32.0);
  }
  REQUIRE(sf_writef_double(file, all.data(), frames) == frames);
  sf_close(file);
}

std::string refused(const Result<std::vector<exchange::FileCurve>>& read) { return read ? "" : read.error().message; }

}  // namespace

TEST_CASE("sound files of every width give their channels, full scale one", "[exchange][import]") {
  test::Folder folder;
  for (const auto& [name, format] : {std::pair{"a.wav", SF_FORMAT_WAV | SF_FORMAT_PCM_16}, {"b.wav", SF_FORMAT_WAV | SF_FORMAT_PCM_24},
                                     {"c.wav", SF_FORMAT_WAV | SF_FORMAT_PCM_32}, {"d.wav", SF_FORMAT_WAV | SF_FORMAT_FLOAT},
                                     {"e.flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_16}, {"f.flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_24}}) {
    const auto path = folder.file(name);
    write_sound(path, format);
    const auto first = exchange::read_curves(path, waveform());
    INFO(name);
    if (!first) FAIL(first.error().message);
    const auto& record = first->front().record;
    CHECK(record.sample_rate == 48000);
    REQUIRE(record.channels.size() == 1);
    CHECK(record.channels[0].role == "v");
    for (std::size_t k = 0; k < 1000; ++k) REQUIRE(record.channels[0].numbers[k] == Approx((int(k) % 16 - 8) / 16.0).margin(1e-9));
    const auto both = exchange::read_curves(path, waveform(), {.columns = {.column = {{"left", "1"}, {"right", "2"}}, .scale = {{"right", 10}}}});
    REQUIRE(both);
    REQUIRE(both->front().record.find("right"));
    CHECK(both->front().record.find("right")->numbers[0] == Approx(10 * 0.25));
    const auto analysis = waveform().analyse({{.setting = nlohmann::json::object(), .records = {record}}}, {}, {"peak_to_peak"});
    REQUIRE(analysis);
    CHECK(analysis->reading.find("peak_to_peak")->value == Approx(15 / 16.0));
    CHECK(analysis->reading.find("peak_to_peak")->unit == "1");
  }
  const auto path = folder.file("a.wav");
  CHECK(refused(exchange::read_curves(path, waveform(), {.columns = {.column = {{"v", "3"}}}})).find("1 to 2") != std::string::npos);
  CHECK(refused(exchange::read_curves(path, waveform(), {.columns = {.column = {{"v", "left"}}}})).find("no channel") != std::string::npos);
  CHECK(refused(exchange::read_curves(path, waveform(), {.columns = {.scale = {{"i", 2}}}})).find("--scale") != std::string::npos);
  CHECK(refused(exchange::read_curves(path, *study::find_kind("iv"))).find("does not read") != std::string::npos);
  const auto preview = exchange::preview_file(path, waveform(), {.columns = {.column = {{"v", "channel 2"}}}});
  CHECK(preview.trouble.empty());
  CHECK(preview.columns == std::vector<std::string>{"channel 1", "channel 2"});
  CHECK(preview.roles == std::vector<std::string>{"", "v"});
}

TEST_CASE("a sound file that is none, or is cut short, is refused with its name", "[exchange][import]") {
  test::Folder folder;
  const auto text = folder.file("text.wav");
  std::ofstream(text) << "this is no sound";
  CHECK(refused(exchange::read_curves(text, waveform())).find("text.wav") != std::string::npos);
  CHECK_FALSE(exchange::read_curves(folder.file("nowhere.flac"), waveform()));
  const auto whole = folder.file("whole.flac");
  write_sound(whole, SF_FORMAT_FLAC | SF_FORMAT_PCM_16, 50'000);
  std::filesystem::resize_file(whole, std::filesystem::file_size(whole) / 2);
  CHECK_FALSE(exchange::read_curves(whole, waveform()));
}

TEST_CASE("a take goes to HDF5 as counts and comes back as its quantity", "[exchange][export][waveform]") {
  auto plan = waveform_bench::pulses();
  plan.rate = 20e6;
  plan.length = 200e-6;
  plan.passes = 2;
  plan.hookup.chains.front().input.sensor = waveform_bench::exact("Probe x10");
  plan.hookup.chains.front().input.range = 0.5;
  waveform_bench::Studied s(waveform_bench::kResistor, plan);
  const auto take = s.take();
  if (!take) FAIL(take.error().message);
  const auto files = run::export_take(s.store, s.study, *s.store.take(*take), s.folder.file("out"));
  if (!files) FAIL(files.error().message);
  const auto path = s.folder.file("out/s-take-1/records.h5");
  const auto read = exchange::read_curves(path, waveform());
  if (!read) FAIL(read.error().message);
  REQUIRE(read->size() == 2);
  const auto own = s.analysed(*take).reading;
  for (const auto& curve : *read) {
    const auto analysis = waveform().analyse({{.setting = nlohmann::json::object(), .records = {curve.record}}}, {}, {"time.at(50%,rising)"});
    if (!analysis) FAIL(analysis.error().message);
    CHECK(analysis->reading.find("amplitude")->value == Approx(own.find("amplitude")->value).epsilon(1e-3));
    CHECK(analysis->reading.find("amplitude")->unit == "V");
    // Times are from the trigger, as they were.
    CHECK(analysis->reading.find("time.at(50%,rising)")->value == Approx(50e-9).margin(60e-9));
  }
}

TEST_CASE("an HDF5 file that holds no record is refused with the place", "[exchange][import]") {
  test::Folder folder;
  const auto none = folder.file("none.h5");
  std::ofstream(none) << "\211HDF no more";
  CHECK(refused(exchange::read_curves(none, waveform())).find("no HDF5 file") != std::string::npos);
  CHECK(refused(exchange::read_curves(folder.file("nowhere.h5"), waveform())).find("no such file") != std::string::npos);
  const auto write = [&](const char* name, const study::Record& record) {
    const auto path = folder.file(name);
    auto file = exchange::HierarchyWriter::create(path);
    REQUIRE(file);
    REQUIRE((*file)->add("one", record, {}, 0));
    REQUIRE((*file)->finish());
    return path;
  };
  study::Record record{.sample_rate = 0};
  record.channels.push_back({.role = "v", .unit = "V", .numbers = {1, 2, 3}});
  CHECK(refused(exchange::read_curves(write("rateless.h5", record), waveform())).find("sample_rate") != std::string::npos);
  record.sample_rate = 100;
  CHECK(exchange::read_curves(write("sound.h5", record), waveform()));
  record.channels.front().numbers[1] = std::nan("");
  CHECK(refused(exchange::read_curves(write("nan.h5", record), waveform())).find("sample 2") != std::string::npos);
  record.channels.front().numbers[1] = 2;
  record.channels.push_back({.role = "i", .unit = "A", .numbers = {1, 2}});
  CHECK(refused(exchange::read_curves(write("unlike.h5", record), waveform())).find("samples") != std::string::npos);
  // A file that is cut is told, not read.
  const auto cut = write("cut.h5", record);
  std::filesystem::resize_file(cut, 700);
  CHECK_FALSE(exchange::read_curves(cut, waveform()));
  // What was never finished is not there.
  {
    auto file = exchange::HierarchyWriter::create(folder.file("half.h5"));
    REQUIRE(file);
  }
  CHECK_FALSE(std::filesystem::exists(folder.file("half.h5")));
  CHECK_FALSE(std::filesystem::exists(folder.file("half.h5.part")));
}

TEST_CASE("how a point was sensed is understood once, at the door, and refused where it makes no sense", "[study]") {
  const study::Applied plain;
  CHECK(plain.readable());
  REQUIRE(plain.sensed());
  CHECK((*plain.sensed())->of("v").per_volt == 1);
  CHECK((*plain.sensed())->quantity("stimulus") == "stimulus");
  const study::Applied full = {{"sensing", {{"i", {{"unit", "A"}, {"per_volt", 10.0}, {"zero", 0.25}}}}},
                               {"computed", {{{"name", "p"}, {"unit", "W"}, {"formula", "v*i"}}}},
                               {"parts", {{"R7", 0.1}}},
                               {"roles", {{"response", "i"}}},
                               {"purpose", "open"}};
  REQUIRE(full.sensed());
  const auto& sensed = **full.sensed();
  CHECK(sensed.of("i").unit == "A");
  CHECK(sensed.of("i").zero == 0.25);
  CHECK(sensed.of("v").unit == "V");
  CHECK(sensed.quantity("response") == "i");
  CHECK(sensed.computed.front().formula == "v*i");
  CHECK(sensed.parts.front().second == 0.1);
  CHECK(full.purpose() == "open");
  CHECK(full.without("purpose").purpose().empty());
  CHECK(full.with("purpose", "short").purpose() == "short");
  CHECK(full.purpose() == "open");
  for (const char* text : {R"({"sensing": 7})", R"({"sensing": {"i": 3}})", R"({"sensing": {"i": {"per_volt": "ten"}}})",
                           R"({"sensing": {"i": {"zeroed": "no"}}})", R"({"sensing": {"i": {"unit": 1}}})", R"({"roles": ["v"]})",
                           R"({"roles": {"response": 1}})", R"({"computed": [1]})", R"({"parts": 5})", R"({"purpose": 5})"}) {
    INFO(text);
    const study::Applied wrong(nlohmann::json::parse(text));
    CHECK(wrong.readable());
    CHECK_FALSE(wrong.sensed());
  }
  CHECK_FALSE(study::Applied(nlohmann::json::array()).readable());
}

}  // namespace sample_files
