#pragma once
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "study/figure.h"

/// Seeded repetitions of measurements whose truth is known, and how the stated uncertainties stand up to them. The
/// models that say the truth live here and share no code with the solver or the figures.
namespace heron::truth {

/// One repetition: what was read, and what is true.
struct Outcome {
  study::Reading reading;
  std::map<std::string, double> truth;  ///< by figure
};

struct Experiment {
  std::string kind, name;
  std::function<Outcome(unsigned seed)> run;
  int repetitions = 200;
  int quick = 0;  ///< in the quick part; 0: left out of it
};

/// Where its usual repetitions leave it open on which side of a bound a figure lies.
inline Experiment often(Experiment experiment, int repetitions = 800) {
  experiment.repetitions = repetitions;
  return experiment;
}

/// How often and how far a figure strayed, in units of its stated uncertainty.
struct Row {
  std::string figure, experiment;
  int repetitions = 0;  ///< in which it was read with an uncertainty
  int missing = 0;      ///< in which it was absent or without
  double bias = 0, spread = 0, beyond = 0;  ///< mean, standard deviation, share outside 2 u
  double value = 0, u = 0;                  ///< of the repetition that strayed most, for a reader
  double worst = 0;                         ///< how far that was, in u

  bool wanted() const;  ///< within the band of docs/truth.md
};

std::vector<Row> measure(const Experiment& experiment, int repetitions);

std::vector<Experiment> response_files();
std::vector<Experiment> response_bench();
std::vector<Experiment> iv_files();
std::vector<Experiment> iv_bench();
std::vector<Experiment> waveform_files();
std::vector<Experiment> waveform_bench();
std::vector<Experiment> spectrum_files();
std::vector<Experiment> power_files();
std::vector<Experiment> conversion_files();
std::vector<Experiment> conversion_bench();
std::vector<Experiment> switching_files();
std::vector<Experiment> all_experiments();

/// Figures that carry no uncertainty, and why.
std::vector<std::pair<std::string, std::string>> without_uncertainty();
/// Rows that may leave the band, and why: figure and experiment.
std::map<std::pair<std::string, std::string>, std::string> exceptions();

std::string as_markdown(const std::vector<std::pair<std::string, std::vector<Row>>>& by_kind);

}  // namespace heron::truth
