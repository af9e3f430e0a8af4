#include "truth/truth.h"

#include <fmt/format.h>

#include <cmath>
#include <thread>

namespace heron::truth {

bool Row::wanted() const {
  return repetitions > 0 && spread >= 0.7 && spread <= 1.4 && std::abs(bias) < 0.5 && beyond <= 0.08;
}

std::vector<Row> measure(const Experiment& experiment, int repetitions) {
  std::vector<Outcome> outcomes(static_cast<std::size_t>(repetitions));
  // Two at a time: each repetition has its own seed and nothing in common with the next, nor with other experiments.
  unsigned first_seed = 1;
  for (const char c : experiment.name) first_seed = first_seed * 31 + unsigned(c);
  const auto work = [&](int first) {
    for (int n = first; n < repetitions; n += 2) outcomes[std::size_t(n)] = experiment.run(first_seed % 1'000'000 + unsigned(n));
  };
  std::thread other(work, 1);
  work(0);
  other.join();
  std::vector<Row> out;
  for (const auto& [figure, unused] : outcomes.front().truth) {
    Row row{.figure = figure, .experiment = experiment.name};
    double sum = 0, squares = 0;
    int outside = 0;
    for (const auto& outcome : outcomes) {
      const auto* f = outcome.reading.find(figure);
      if (!f || !f->u || !(*f->u > 0) || !outcome.truth.contains(figure)) {
        ++row.missing;
        continue;
      }
      const double off = (f->value - outcome.truth.at(figure)) / *f->u;
      sum += off;
      squares += off * off;
      outside += std::abs(off) > 2;
      if (std::abs(off) > std::abs(row.worst)) {
        row.worst = off;
        row.value = f->value;
        row.u = *f->u;
      }
      ++row.repetitions;
    }
    if (row.repetitions > 0) {
      const double n = row.repetitions;
      row.bias = sum / n;
      row.spread = std::sqrt(std::max(0.0, squares / n - row.bias * row.bias));
      row.beyond = outside / n;
    }
    out.push_back(row);
  }
  return out;
}

std::vector<Experiment> all_experiments() {
  std::vector<Experiment> out;
  for (auto&& some : {response_files(), response_bench(), iv_files(), iv_bench(), waveform_files(), waveform_bench(), spectrum_files(), power_files(), conversion_files(), conversion_bench(), switching_files()})
    out.insert(out.end(), some.begin(), some.end());
  return out;
}

std::string as_markdown(const std::vector<std::pair<std::string, std::vector<Row>>>& by_kind) {
  std::string out =
      "# How honest the uncertainties are\n\n"
      "Written by `scripts/truth`. Each line is so many seeded repetitions of one measurement whose truth a model says that\n"
      "shares no code with the solver or the figures. Wanted: spread within 0.7 to 1.4 times the stated standard uncertainty\n"
      "u, mean (bias) within half of it, at most 8 % beyond 2 u. A line outside is marked \u2021 and has its reason below. A\n"
      "small part of this runs with every `./check`. Files are tables and records with noise; takes are made on the simulated\n"
      "bench, whose instruments err anew with every seed, against models that know every drawn part value.\n";
  const auto excused = exceptions();
  std::string reasons;
  int lines = 0, inside = 0;
  for (const auto& [kind, rows] : by_kind) {
    out += fmt::format("\n## {}\n\n| figure | experiment | repetitions | bias/u | spread/u | beyond 2 u |\n"
                       "|---|---|---|---|---|---|\n",
                       kind);
    for (const auto& r : rows) {
      ++lines;
      inside += r.wanted();
      out += fmt::format("| `{}` | {} | {}{} | {:+.2f} | {:.2f} | {:.1f} %{} |\n", r.figure, r.experiment, r.repetitions,
                         r.missing ? fmt::format(" (absent in {})", r.missing) : "", r.bias, r.spread, 100 * r.beyond,
                         r.wanted() ? "" : " \u2021");
      if (!r.wanted()) {
        const auto it = excused.find({r.figure, r.experiment});
        reasons += fmt::format("- `{}`, {}: {}\n", r.figure, r.experiment,
                               it != excused.end() ? it->second : "not yet explained");
      }
    }
  }
  out += fmt::format("\n{} of {} lines lie within the band.\n", inside, lines);
  if (!reasons.empty()) out += "\n## Outside the band\n\n" + reasons;
  out += "\n## Without an uncertainty\n\n";
  for (const auto& [figure, why] : without_uncertainty()) out += fmt::format("- `{}`: {}\n", figure, why);
  return out;
}

}  // namespace heron::truth
