#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>
#include <numeric>
#include <random>

#include "base/random.h"
#include "signal/code_density.h"
#include "sim/converter.h"
#include "study/kind.h"
#include "study/spectrum/codes.h"

using namespace heron;

namespace codes {
namespace {

using std::numbers::pi;

/// A converter by the voltages at which it goes to the next code, in steps.
struct Staircase {
  int bits;
  std::vector<double> at;  ///< below code -half + 1 and so on
  explicit Staircase(int of_bits) : bits(of_bits) {
    for (int c = -half() + 1; c < half(); ++c) at.push_back(c - 0.5);
  }
  int half() const { return 1 << (bits - 1); }
  double& below(int code) { return at[std::size_t(code + half() - 1)]; }
  int code(double v) const { return int(std::upper_bound(at.begin(), at.end(), v) - at.begin()) - half(); }
};

/// Codes of a sine whose record holds a number of cycles that shares no factor with its samples.
std::vector<double> sine(const Staircase& of, std::size_t samples, std::size_t cycles, double amplitude, double noise = 0, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  std::vector<double> out(samples);
  const double phase = 2 * pi * double(seed % 97) / 97;
  for (std::size_t k = 0; k < samples; ++k) {
    const double v = amplitude * std::sin(2 * pi * double((k * cycles) % samples) / double(samples) + phase) + (noise > 0 ? noise * normal_deviate(random) : 0);
    out[k] = of.code(v);
  }
  return out;
}

study::Point table(std::vector<double> v, const char* unit = "") {
  study::Point out{.index = 0, .setting = nlohmann::json::object(), .records = std::vector<study::Record>(1)};
  out.records[0].channels = {{.role = "v", .unit = unit, .numbers = std::move(v)}};
  return out;
}

Result<study::Analysis> read(std::vector<double> v, study::SettingsText more, const char* unit = "") {
  study::SettingsText settings = {{"sample_rate", "100 kHz"}, {"bits", "8"}, {"full_scale", "1 V"}};
  for (auto& [key, text] : more) settings[key] = text;
  return study::find_kind("spectrum")->analyse({table(std::move(v), unit)}, settings, {});
}

}  // namespace

TEST_CASE("a code that is too wide, one that never comes and a bow are read off a sine's histogram", "[spectrum][codes]") {
  Staircase of(8);
  of.below(40) -= 0.4;
  of.below(41) += 0.4;   // code 40 is 0.8 wider, both beside it 0.4 narrower
  of.below(-19) = of.below(-20);  // code -20 never comes, -19 is twice as wide
  const std::size_t n = 1 << 16;
  const auto result = read(sine(of, n, 1021, 130), {});
  if (!result) FAIL(result.error().message);
  const auto& reading = result->reading;
  // The widest error of a code's width is that of the one that never comes, and of the one that has its room.
  REQUIRE(reading.find("dnl.max"));
  CHECK(reading.find("dnl.max")->value == Approx(1).margin(0.02));
  CHECK(reading.find("dnl.max")->unit == "LSB");
  CHECK(reading.find("codes.missing")->value == 1);
  CHECK(reading.find("inl.max")->value == Approx(1).margin(0.02));
  // A sine beyond full scale is clipped, and says so; its level is in dBFS by the settings' full scale.
  CHECK(reading.find("fundamental.level")->unit == "dBFS");
  CHECK(reading.find("fundamental.level")->value == Approx(20 * std::log10(130.0 / 128)).margin(0.1));

  Staircase bowed(8);
  for (int c = -127; c < 128; ++c) bowed.below(c) += 1.5 * (1 - std::pow(c / 128.0, 2));
  const auto bow = read(sine(bowed, n, 1021, 131), {});
  REQUIRE(bow);
  CHECK(bow->reading.find("inl.max")->value == Approx(1.5).margin(0.03));
  CHECK(bow->reading.find("dnl.max")->value < 0.05);
  CHECK(bow->reading.find("codes.missing")->value == 0);
}

TEST_CASE("codes come as signed or unsigned integers or as volts, and nothing else is taken for them", "[spectrum][codes]") {
  const Staircase of(8);
  const auto plain = sine(of, 1 << 15, 511, 126);
  const auto signed_ones = read(plain, {});
  REQUIRE(signed_ones);
  REQUIRE(signed_ones->reading.find("dnl.max"));
  const double level = signed_ones->reading.find("fundamental.level")->value;
  CHECK(level == Approx(20 * std::log10(126.0 / 128)).margin(0.02));
  auto volts = plain, lifted = plain, unsigned_ones = plain;
  for (auto& v : volts) v /= 128;
  for (auto& v : lifted) v = (v + 0.5) / 128;
  for (auto& v : unsigned_ones) v += 128;
  for (const auto& [values, coding, unit] : {std::tuple{volts, "signed", "V"}, {lifted, "signed", "V"}, {unsigned_ones, "unsigned", ""}}) {
    const auto same = read(values, {{"coding", coding}}, unit);
    if (!same) FAIL(same.error().message);
    REQUIRE(same->reading.find("dnl.max"));
    CHECK(same->reading.find("dnl.max")->value == signed_ones->reading.find("dnl.max")->value);
    CHECK(same->reading.find("fundamental.level")->value == Approx(level).margin(1e-9));
  }
  // Unsigned ones taken for signed, and codes that the bits do not hold.
  const auto mistaken = read(unsigned_ones, {});
  REQUIRE_FALSE(mistaken);
  CHECK(mistaken.error().fault == Fault::input);
  CHECK(mistaken.error().message.find("coding=unsigned") != std::string::npos);
  auto beyond = plain;
  beyond[100] = 400;
  const auto too_many = read(beyond, {});
  REQUIRE_FALSE(too_many);
  CHECK(too_many.error().fault == Fault::input);
  CHECK(too_many.error().message.find("8 bits hold -128 to 127") != std::string::npos);
  // Beyond what unsigned ones reach they are not taken for those either.
  auto neither = unsigned_ones;
  neither[100] = 256;
  const auto no_bits = read(neither, {});
  REQUIRE_FALSE(no_bits);
  CHECK(no_bits.error().message.find("8 bits hold -128 to 127") != std::string::npos);
  // Volts that are no whole steps are a record like any other.
  auto between = volts;
  for (std::size_t k = 0; k < between.size(); ++k) between[k] += 0.003 * std::sin(double(k));
  const auto no_codes = study::find_kind("spectrum")->analyse({table(between, "V")}, {{"sample_rate", "100 kHz"}, {"bits", "8"}, {"full_scale", "1 V"}}, {"dnl.max"});
  REQUIRE(no_codes);
  CHECK_FALSE(no_codes->reading.find("dnl.max"));
  // What would have no effect is refused.
  const auto* kind = study::find_kind("spectrum");
  CHECK_FALSE(kind->analyse({table(volts, "V")}, {{"sample_rate", "100 kHz"}, {"bits", "8"}}, {}));
  CHECK_FALSE(kind->analyse({table(volts, "V")}, {{"sample_rate", "100 kHz"}, {"coding", "unsigned"}}, {}));
  CHECK(kind->analyse({table(volts, "1")}, {{"sample_rate", "100 kHz"}, {"bits", "8"}}, {"dnl.max"})->reading.find("dnl.max"));
  for (const auto* bits : {"7.5", "0", "40", "-3"}) CHECK_FALSE(read(plain, {{"bits", bits}}));
}

TEST_CASE("codes are what the bits hold to the last one, and volts are codes wherever in a step they lie", "[spectrum][codes]") {
  const auto trace = [](std::vector<double> v, const char* unit) { return study::trace_of("v", unit, study::TimeBase(0, 1e-5), std::move(v)); };
  study::spectrum::Settings settings;
  settings.bits = 4;
  settings.full_scale = 2;  // steps of 0.25 V
  const auto seen = [&](std::vector<double> v, const char* unit = "V") { return study::spectrum::coded(trace(std::move(v), unit), {}, settings); };
  const auto is_coded = [&](std::vector<double> v) {
    const auto found = seen(std::move(v));
    return found && found->has_value();
  };
  const auto why = [&](std::vector<double> v) {
    const auto found = seen(std::move(v));
    return found ? std::string() : found.error().message;
  };
  // Volts from the lowest code to the highest, a quarter of a step up.
  for (const double up : {0.0, 0.25, 0.5}) {
    std::vector<double> v = {(3 + up) * 0.25};
    for (int code = -8; code < 8; ++code) v.push_back((code + up) * 0.25);
    const auto all = seen(v);
    REQUIRE(all);
    REQUIRE(all->has_value());
    std::vector<double> once(16 * 8);
    for (std::size_t k = 0; k < once.size(); ++k) once[k] = (double(k % 16) - 8 + up) * 0.25;
    study::spectrum::Settings of_one = settings;
    of_one.histogram_samples = 1;
    const auto density = study::spectrum::density_of({{(*all)->coding, trace(once, "V"), (*all)->shift}}, of_one, 0, once.size(), 0);
    REQUIRE(density);
    REQUIRE(density->has_value());
    CHECK((*density)->lowest == -8);
    CHECK((*density)->highest == 7);
    CHECK((*density)->hits == std::vector<double>(16, 8.0));
  }
  CHECK(is_coded({-2, 1.75, 0.25}));
  CHECK_FALSE(is_coded({-2.3, 1.71, 0.26}));
  CHECK(why({-2.3, 1.71, 0.26}).empty());
  // Beyond full scale in whole steps: more than the bits hold.
  CHECK(why({-0.25, 2.25, 0.5}).find("4 bits hold -8 to 7") != std::string::npos);
  CHECK(why({0.25, -2.25, 0.5}).find("4 bits hold -8 to 7") != std::string::npos);
  // A printed voltage is a whole step within a fiftieth.
  CHECK(is_coded({0.25, 0.254, 0.5}));
  CHECK_FALSE(is_coded({0.25, 0.2563, 0.5}));
  // Whole numbers beyond full scale are the codes themselves, signed to both ends.
  CHECK(is_coded({-8, 7, 3}));
  CHECK(why({-9, 7, 3}).find("4 bits hold -8 to 7") != std::string::npos);
  for (const auto& [codes, unsigned_ones] : {std::pair{std::vector<double>{0, 15, 3}, true}, {{1, 15, 3}, true}, {{-1, 15, 3}, false}, {{0, 16, 3}, false}, {{0, 14, 8}, true}})
    CHECK((why(codes).find("coding=unsigned") != std::string::npos) == unsigned_ones);
  settings.coding = study::spectrum::CodeSign::none;
  CHECK(is_coded({0, 15, 3}));
  CHECK(is_coded({0, 3, 3}));
  CHECK(why({0, 16, 3}).find("4 bits hold 0 to 15") != std::string::npos);
  CHECK(why({-1, 9, 3}).find("4 bits hold 0 to 15") != std::string::npos);
  const auto lifted = seen({0, 8, 15});
  std::vector<double> volts(3);
  REQUIRE((*lifted)->volts->read(0, volts));
  CHECK(volts == std::vector{-2.0, 0.0, 1.75});
}

TEST_CASE("a histogram wants so many samples of each code between its ends, and phases enough", "[spectrum][codes]") {
  const auto density = [](std::vector<double> v, double each, double place) {
    study::spectrum::Settings settings;
    settings.histogram_samples = each;
    const auto n = v.size();
    const auto found = study::spectrum::density_of({{{4, 8}, study::trace_of("v", "V", study::TimeBase(0, 1e-5), std::move(v)), 0}}, settings, place, n, 0);
    if (!found) FAIL(found.error().message);
    return found->has_value() ? std::string() : found->error();
  };
  // Codes -3 to 3, the outer ones once each: seven codes.
  std::vector<double> v = {-3, 3};
  for (int k = 0; k < 40; ++k) v.push_back(k % 5 - 2);
  CHECK(density(v, 6, 0).empty());
  CHECK(density(v, 6.01, 0).find("7 codes want 42 samples, 6.01 a code") != std::string::npos);
  // Three cycles in 42 samples have 14 phases, fewer than pi times seven; five have all of them.
  CHECK(density(v, 1, 3).find("its 3 cycles in 42 samples have only 14 phases") != std::string::npos);
  CHECK(density(v, 1, 5).empty());
  CHECK(density(v, 1, 3.0009).find("only 14 phases") != std::string::npos);
  CHECK(density(v, 1, 3.0012).empty());
}

TEST_CASE("a point that says nonsense of its codes is a record like any other", "[spectrum][codes]") {
  const Staircase of(8);
  for (const char* said : {R"({"codes": 5})", R"({"codes": {"v": 7}})", R"({"codes": {"v": {"bits": "8", "full_scale": 1}}})", R"({"codes": {"v": {"bits": 80, "full_scale": 1}}})",
                           R"({"codes": {"v": {"bits": 8, "full_scale": -1}}})", R"({"codes": {"v": {"bits": 8}}})", R"({"stimulus": 3})", R"({"stimulus": "v"})"}) {
    auto point = table(sine(of, 4096, 63, 126), "V");
    point.setting = nlohmann::json::parse(said);
    const auto read = study::find_kind("spectrum")->analyse({point}, {{"sample_rate", "100 kHz"}}, {"dnl.max"});
    INFO(said);
    REQUIRE(read);
    CHECK_FALSE(read->reading.find("dnl.max"));
    CHECK(read->reading.find("fundamental.level"));
  }
}

TEST_CASE("a histogram of too few samples or of the same few phases tells no widths, with the reason", "[spectrum][codes]") {
  const Staircase of(8);
  const auto reason = [](const Result<study::Analysis>& read) {
    REQUIRE(read);
    for (const auto& a : read->reading.absent)
      if (a.key == "dnl.max") return a.reason;
    return std::string("it is there");
  };
  CHECK(reason(read(sine(of, 1 << 12, 63, 126), {})).find("want 16192 samples") != std::string::npos);
  CHECK(reason(read(sine(of, 1 << 12, 63, 126), {{"histogram_samples", "10"}})) == "it is there");
  CHECK(reason(read(sine(of, 1 << 15, 512, 126), {})).find("only 64 phases") != std::string::npos);
  CHECK(reason(read(std::vector<double>(1 << 15, 3.0), {})).find("fewer than four codes") != std::string::npos);
}

TEST_CASE("widths of codes are known as well as it is said, with noise before the converter", "[spectrum][codes][truth]") {
  Staircase of(8);
  of.below(12) -= 0.25;
  of.below(13) += 0.25;
  const std::size_t n = 1 << 15;
  double bias = 0, squares = 0, inl_bias = 0, inl_squares = 0;
  constexpr int kRuns = 100;
  for (int run = 0; run < kRuns; ++run) {
    const auto samples = sine(of, n, 2 * std::size_t(run % 40) + 1001, 128.7 + 0.01 * run, 0.4, unsigned(run + 1));
    std::vector<std::size_t> hits(256, 0);
    for (const double c : samples) ++hits[std::size_t(c + 128)];
    const auto density = signal::code_density(hits, -128, 0.4);
    REQUIRE(density);
    const auto k = std::size_t(12 - density->lowest - 1);
    const double off = (density->dnl[k] - 0.5) / density->u_dnl(k), inl_off = (density->inl[k] + 0.25) / density->u_transitions[k];
    bias += off / kRuns;
    squares += off * off / kRuns;
    inl_bias += inl_off / kRuns;
    inl_squares += inl_off * inl_off / kRuns;
  }
  CHECK(std::abs(bias) < 0.5);
  CHECK(std::sqrt(squares) > 0.7);
  CHECK(std::sqrt(squares) < 1.4);
  CHECK(std::abs(inl_bias) < 0.5);
  CHECK(std::sqrt(inl_squares) > 0.7);
  CHECK(std::sqrt(inl_squares) < 1.4);
}

TEST_CASE("the noise before a converter is what it shows beside its sine, less its own rounding", "[spectrum][codes]") {
  namespace spectrum = study::spectrum;
  constexpr int kHalf = 32;
  constexpr double kStep = 0.01;
  const study::Coding coding{.bits = 6, .full_scale = kHalf * kStep};
  // A fifth of the time at either end: beyond full scale no noise is seen.
  std::vector<double> values;
  std::vector<std::size_t> hits(2 * kHalf, 0);
  for (int k = 0; k < 40'001; ++k) {
    const int code = std::clamp(int(std::lround(1.05 * kHalf * std::sin(2 * std::numbers::pi * 7919 * k / 40'001.0))), -kHalf, kHalf - 1);
    values.push_back(code * kStep);
    ++hits[std::size_t(code + kHalf)];
  }
  const double ends = double(hits.front() + hits.back()) / 40'001;
  CHECK(ends > 0.2);
  for (const double noise : {0.0, 0.05, 0.3, 2.0}) {
    CAPTURE(noise);
    const auto trace = study::trace_of("codes", "V", study::TimeBase(0, 1e-6), values);
    const auto found = spectrum::density_of({{coding, trace, 0}}, {}, 7919, 40'001, noise * kStep * kStep);
    REQUIRE(found);
    REQUIRE(*found);
    const auto wanted = signal::code_density(hits, -kHalf, std::sqrt(std::max(0.0, noise / (1 - ends) - 1 / 12.0)));
    REQUIRE(wanted);
    REQUIRE((*found)->u_transitions.size() == wanted->u_transitions.size());
    for (std::size_t k = 0; k < wanted->u_transitions.size(); k += 7) CHECK((*found)->u_transitions[k] == Approx(wanted->u_transitions[k]));
  }
}

TEST_CASE("the bench's converter strays as its part says", "[sim][codes]") {
  const sim::ConverterData data{.bits = 10, .full_scale = 2, .bow = 0.8, .lean = -0.3, .wide_code = 100, .wide_by = 0.6};
  const sim::Transitions of(data);
  const double step = 4.0 / 1024;
  CHECK(of.code(0) == 0);
  CHECK(of.code(-100) == -512);
  CHECK(of.code(100) == 511);
  CHECK((of.below(101) - of.below(100)) / step == Approx(1.6).margin(0.02));
  CHECK((of.below(102) - of.below(101)) / step == Approx(0.7).margin(0.02));
  // A third of the range away an S is near its furthest: x = -1/sqrt(3).
  const int at = int(std::lround(-512 / std::sqrt(3.0)));
  CHECK(of.below(at) / step - (at - 0.5) == Approx(0.8 - 0.3 * (1 - 1 / 3.0)).margin(0.02));
  for (int code = -510; code < 512; ++code) REQUIRE(of.below(code) >= of.below(code - 1));
}

TEST_CASE("a table of codes has how often each came, what was expected, and how wide those within are", "[spectrum][codes]") {
  Staircase of(8);
  of.below(40) -= 0.4;
  of.below(41) += 0.4;
  const std::size_t n = 1 << 16;
  const auto tables = [&](std::vector<study::Point> points) {
    auto reducer = study::find_kind("spectrum")->reducer({{"sample_rate", "100 kHz"}, {"bits", "8"}, {"full_scale", "1 V"}});
    REQUIRE(reducer);
    for (const auto& point : points) REQUIRE((*reducer)->add(point));
    return (*(*reducer)->so_far())->tables();
  };
  const auto one = tables({table(sine(of, n, 1021, 126))});
  REQUIRE(one.size() == 1);
  CHECK(one[0].first == "codes");
  const auto column = [&](const char* name) {
    const auto* channel = one[0].second.find(name);
    REQUIRE(channel);
    return channel->values();
  };
  const auto code = column("code"), samples = column("samples"), expected = column("expected"), width = column("width_error"), transition = column("transition_error");
  REQUIRE(code.size() == 253);
  CHECK(code.front() == -126);
  CHECK(code.back() == 126);
  CHECK(std::accumulate(samples.begin(), samples.end(), 0.0) == double(n));
  CHECK(std::accumulate(expected.begin(), expected.end(), 0.0) == Approx(double(n)));
  const auto at = std::size_t(40 + 126);
  CHECK(width[at] == Approx(0.8).margin(0.03));
  CHECK(width[at + 1] == Approx(-0.4).margin(0.03));
  // Each row has the transition below its code.
  CHECK(transition[at] == Approx(-0.4).margin(0.03));
  CHECK(transition[at + 1] == Approx(0.4).margin(0.03));
  CHECK(transition[at - 1] == Approx(0).margin(0.03));
  for (const auto* values : {&width, &transition}) {
    CHECK(values->size() == code.size());
    CHECK(std::isnan(values->front()));
    CHECK(std::count_if(values->begin(), values->end(), [](double v) { return std::isnan(v); }) == (values == &width ? 2 : 1));
  }
  // Of a sweep one a point, of several quantities one each.
  auto first = table(sine(of, n, 1021, 126)), second = table(sine(of, n, 1023, 120));
  first.setting = first.setting.with("swept", {{"name", "level"}, {"value", 1.0}});
  second.setting = second.setting.with("swept", {{"name", "level"}, {"value", 2.0}});
  second.index = 4;
  const auto two = tables({first, second});
  REQUIRE(two.size() == 2);
  CHECK(two[0].first == "codes-0001");
  CHECK(two[1].first == "codes-0005");
  auto both = table(sine(of, n, 1021, 126));
  both.records[0].channels.push_back(both.records[0].channels[0]);
  both.records[0].channels[1].role = "w";
  const auto of_both = tables({both});
  REQUIRE(of_both.size() == 2);
  CHECK(of_both[0].first == "codes-v");
  CHECK(of_both[1].first == "codes-w");
  // Where a point says it was taken at is above zero, and its number is told.
  second.setting = second.setting.with("swept", {{"name", "level"}, {"value", 0.0}});
  auto reducer = study::find_kind("spectrum")->reducer({{"sample_rate", "100 kHz"}});
  REQUIRE(reducer);
  const auto refused = (*reducer)->add(second);
  REQUIRE_FALSE(refused);
  CHECK(refused.error().message == "Point 5: where in the sweep it was taken cannot be read.");
  second.setting = second.setting.with("swept", {{"name", "colour"}, {"value", 1.0}});
  CHECK_FALSE((*reducer)->add(second));
}

}  // namespace codes
