#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>

#include "truth/truth.h"

/// heron_truth_table [OUT.md] [PART OF A NAME] [DIVISOR]: runs the experiments, each so many times less often (0.25: four
/// times as often), and writes the table.

int main(int argc, char** argv) {
  using namespace heron::truth;
  const std::string wanted = argc > 2 ? argv[2] : "";
  const double divisor = argc > 3 ? std::max(0.01, std::atof(argv[3])) : 1;
  std::vector<std::pair<std::string, std::vector<Row>>> by_kind;
  for (const auto& experiment : all_experiments()) {
    if ((experiment.kind + " " + experiment.name).find(wanted) == std::string::npos) continue;
    if (by_kind.empty() || by_kind.back().first != experiment.kind) by_kind.emplace_back(experiment.kind, std::vector<Row>());
    const auto rows = measure(experiment, std::max(2, int(experiment.repetitions / divisor)));
    for (const auto& r : rows)
      std::fprintf(stderr, "%-26s %-44s n %3d  missing %3d  bias %+6.2f  spread %5.2f  beyond %3.0f %%   worst %+.1f u: %.6g +- %.3g%s\n",
                   r.figure.c_str(), r.experiment.c_str(), r.repetitions, r.missing, r.bias, r.spread, 100 * r.beyond,
                   r.worst, r.value, r.u, r.wanted() ? "" : "   <<<");
    auto& all = by_kind.back().second;
    all.insert(all.end(), rows.begin(), rows.end());
  }
  if (argc > 1 && std::strcmp(argv[1], "-") != 0) std::ofstream(argv[1]) << as_markdown(by_kind);
  return 0;
}
