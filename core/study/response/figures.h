#pragma once
#include <string>
#include <vector>

#include "study/kind.h"
#include "study/response/reduce.h"
#include "study/response/settings.h"

/// H(f) -> figures. Pure; docs/figures.md has the definitions.
namespace heron::study::response {

/// Checks a key such as "corner.high", "gain@1kHz" or "slope(100kHz,1MHz)". Fault::usage when there is no such figure.
Result<void> check_figure_key(std::string_view key);

/// Names of all figures, for lines that people write.
std::vector<FigureName> figure_names();

/// Every figure that needs no parameter, then those asked for. Uncertainties follow from those of the points, each
/// carried through by its own small change (GUM, first order).
/// @param asked  further keys; must have passed check_figure_key()
void read_figures(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked, Reading& into);

/// What speaks against the curve and against the figures read from it. An uncertain figure is a caution where somebody
/// asked for it, else a note.
void raise_doubts(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked, Reading& into);

/// Figures and doubts together.
Reading read(const Curve& curve, const Settings& settings, const std::vector<std::string>& asked = {});

}  // namespace heron::study::response
