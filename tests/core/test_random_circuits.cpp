#include <algorithm>
#include <catch2/catch.hpp>
#include <complex>

#include "exchange/columns.h"
#include "judge/claim.h"
#include "signal/tone.h"
#include "sim/simulated_bench.h"
#include "support.h"

#include <fmt/format.h>

using namespace heron;
using std::numbers::pi;
using Complex = std::complex<double>;

namespace {

struct Passive {
  char kind;  ///< R, C, L
  int a, b;   ///< 0 is ground
  double value;
};

Complex admittance(const Passive& branch, Complex s) {
  switch (branch.kind) {
    case 'R':
      return 1 / branch.value;
    case 'C':
      return s * branch.value;
    default:
      return 1.0 / (s * branch.value);
  }
}

/// Gaussian elimination with row exchange; the independent answer to the solver's.
std::vector<Complex> solve(std::vector<std::vector<Complex>> m, std::vector<Complex> right) {
  const auto n = right.size();
  for (std::size_t c = 0; c < n; ++c) {
    std::size_t pivot = c;
    for (auto r = c + 1; r < n; ++r)
      if (std::abs(m[r][c]) > std::abs(m[pivot][c])) pivot = r;
    std::swap(m[c], m[pivot]);
    std::swap(right[c], right[pivot]);
    for (auto r = c + 1; r < n; ++r) {
      const Complex share = m[r][c] / m[c][c];
      for (auto k = c; k < n; ++k) m[r][k] -= share * m[c][k];
      right[r] -= share * right[c];
    }
  }
  for (std::size_t c = n; c-- > 0;) {
    for (auto k = c + 1; k < n; ++k) right[c] -= m[c][k] * right[k];
    right[c] /= m[c][c];
  }
  return right;
}

std::string node(int n) { return n == 0 ? "ground" : "n" + std::to_string(n); }

}  // namespace

TEST_CASE("random networks measure as their nodal equations say", "[sim][bench][random]") {
  std::mt19937_64 random(2026);
  const auto share = [&] { return double(random() >> 11) * 0x1p-53; };
  int measured = 0;
  for (int round = 0; round < 30; ++round) {
    const int nodes = 2 + int(random() % 5);
    std::vector<Passive> branches;
    const auto value = [&](char kind) {
      const double spread = std::pow(10, 2 * share() - 1);
      return kind == 'R' ? 1e3 * spread : kind == 'C' ? 10e-9 * spread : 1e-3 * spread;
    };
    // A resistor leads to every node, so that none floats; the rest goes anywhere.
    for (int n = 2; n <= nodes; ++n) branches.push_back({'R', 1 + int(random() % unsigned(n - 1)), n, value('R')});
    for (int k = 0; k < 2 * nodes; ++k) {
      const char kind = "RRCCL"[random() % 5];
      const int a = int(random() % unsigned(nodes + 1)), b = int(random() % unsigned(nodes + 1));
      if (a != b) branches.push_back({kind, a, b, value(kind)});
    }
    branches.push_back({'R', nodes, 0, value('R')});
    std::string text = "[pins]\n\"in\" = \"n1\"\n\"out\" = \"" + node(nodes) + "\"\n";
    for (std::size_t i = 0; i < branches.size(); ++i) {
      const auto& b = branches[i];
      const std::string kind = b.kind == 'R' ? "resistor" : b.kind == 'C' ? "capacitor" : "inductor";
      text += "[part.P" + std::to_string(i) + "]\nkind = \"" + kind + "\"\nbetween = [\"" + node(b.a) + "\", \"" +
              node(b.b) + "\"]\nvalue = " + fmt::format("{:.17g}", b.value) + "\n";
    }
    const auto circuit = sim::read_circuit(text, "random.toml");
    INFO(text);
    if (!circuit) {
      CHECK_THAT(circuit.error().message, Catch::Matchers::Contains("hangs in the air"));
      continue;
    }
    const double f = 2e3 * std::pow(10, 1.5 * share());
    sim::SimulatedBench bench(*circuit, 1);
    REQUIRE(bench.connect({{"in", {}}, {"out", {}}}));
    REQUIRE(bench.drive({.pin = "in", .frequency = f, .peak_to_peak = 4}));
    REQUIRE(bench.wait(0.1, {}));
    const double rate = bench.nearest_rate(f * 512);
    const auto capture = bench.capture(rate, int(std::lround(8 / f * rate)), {});
    REQUIRE(capture);
    const auto x = signal::fit_tone(capture->channels[0].volts(), capture->sample_rate, f);
    const auto y = signal::fit_tone(capture->channels[1].volts(), capture->sample_rate, f);
    REQUIRE(x);
    REQUIRE(y);

    // One ampere into n1; the ratio of two node voltages does not depend on the source.
    const Complex s(0, 2 * pi * f);
    const auto n = std::size_t(nodes);
    std::vector<std::vector<Complex>> m(n, std::vector<Complex>(n));
    const auto add = [&](int a, int b, Complex g) {
      if (a > 0) m[std::size_t(a - 1)][std::size_t(a - 1)] += g;
      if (b > 0) m[std::size_t(b - 1)][std::size_t(b - 1)] += g;
      if (a > 0 && b > 0) {
        m[std::size_t(a - 1)][std::size_t(b - 1)] -= g;
        m[std::size_t(b - 1)][std::size_t(a - 1)] -= g;
      }
    };
    for (const auto& b : branches) add(b.a, b.b, admittance(b, s));
    for (const int pin : {1, nodes}) add(pin, 0, 1e-6 + s * 15e-12);
    std::vector<Complex> current(n);
    current[0] = 1;
    const auto v = solve(m, current);
    const Complex h = v[n - 1] / v[0];
    if (std::abs(h) < 1e-3 || x->peak < 5e-3) continue;  // too little left to hold the bench to 0.02 dB
    ++measured;
    CHECK(20 * std::log10(y->peak / x->peak / std::abs(h)) == Approx(0).margin(0.03));
    CHECK(std::remainder((y->phase - x->phase - std::arg(h)) * 180 / pi, 360.0) == Approx(0).margin(0.25));
  }
  CHECK(measured >= 15);
}

TEST_CASE("a circuit file with random damage is read or refused, never more", "[sim][random]") {
  const auto text = *exchange::read_file(std::string(HERON_SOURCE) + "/mudlark/hydrophone_preamp.toml");
  std::mt19937_64 random(17);
  const std::string pieces[] = {"=",     "\"",  "[", "]",    "\n",   "value", "ground", "-",
                                "1e999", "nan", "0", "part", "kind", "\x01",  "[[",     "opamp"};
  int refused = 0;
  for (int i = 0; i < 1500; ++i) {
    std::string bad = text;
    for (int k = 0; k < 1 + int(random() % 4); ++k) {
      const auto at = random() % bad.size();
      if (random() % 2)
        bad.erase(at, random() % 12);
      else
        bad.insert(at, pieces[random() % std::size(pieces)]);
    }
    const auto read = sim::read_circuit(bad, "bad.toml");
    if (!read) {
      ++refused;
      CHECK_THAT(read.error().message, Catch::Matchers::StartsWith("bad.toml:"));
      continue;
    }
    // What is read can be put on the bench, which drives it or says why not.
    if (i % 25 == 0 && read->pins.contains("preamp in")) {
      sim::SimulatedBench bench(*read, 1);
      if (bench.connect({{"preamp in", {}}}) &&
          bench.drive({.pin = "preamp in", .frequency = 1e3, .peak_to_peak = 0.01}))
        if (const auto waited = bench.wait(1e-3, {}); !waited) CHECK_FALSE(waited.error().message.empty());
    }
  }
  CHECK(refused > 300);
}

TEST_CASE("a claims file with random damage is read or refused, never more", "[judge][random]") {
  const std::string text =
      "[[claim]]\ntext = \"High corner\"\nfigure = \"corner.high\"\nlower = \"18 kHz\"\n[[claim]]\nfigure = "
      "\"corner.low\"\nexpected = \"1/(2*pi*R3*C4)\"\ntolerance = \"5 %\"\n"
      "[[mask]]\ncurve = \"gain\"\nupper = [[\"100 Hz\", \"0.5 dB\"], [\"10 kHz\", \"0.5 dB\"]]\n";
  std::mt19937_64 random(23);
  for (int i = 0; i < 3000; ++i) {
    std::string bad = text;
    for (int k = 0; k < 1 + int(random() % 3); ++k) {
      const auto at = random() % bad.size();
      if (random() % 2)
        bad.erase(at, random() % 10);
      else
        bad.insert(at, 1, char(32 + random() % 95));
    }
    const auto read = judge::read_claims(bad, "bad.toml", *study::find_kind("response"));
    if (!read) {
      CHECK_THAT(read.error().message, Catch::Matchers::StartsWith("bad.toml:"));
      continue;
    }
    for (const auto& claim : read->claims) (void)judge::judge(claim, {}, {});
  }
}
