#include "study/surroundings.h"

#include <cmath>

#include "base/formula.h"

namespace heron::study {

std::vector<std::pair<std::string, double>> Surroundings::formula_values() const {
  std::vector<std::pair<std::string, double>> out;
  for (const auto& [name, part] : parts)
    if (formula_name(name)) out.emplace_back(name, part.value);
  return out;
}

std::map<std::string, double> Surroundings::formula_uncertainties() const {
  std::map<std::string, double> out;
  for (const auto& [name, part] : parts)
    if (part.tolerance > 0 && formula_name(name)) out[name] = part.tolerance / std::sqrt(3.0);
  return out;
}

}  // namespace heron::study
