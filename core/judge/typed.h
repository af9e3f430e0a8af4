#pragma once
#include <string>
#include <vector>

#include "base/result.h"
#include "study/kind.h"

namespace heron::judge {

/// A figure of one unit that was read on another meter and typed in.
struct TypedFigure {
  long long id = 0;
  long long unit = 0;  ///< of the device
  study::Figure figure;
  std::string source;  ///< the meter, a datasheet, a person
};

/// Out of a line as people write it: "Inductance 10.3 uH +-0.2 uH, by the bridge". What stands behind +- is the expanded
/// uncertainty (k = 2), as everywhere; behind the comma stands where the value was read. Fault::input says what is
/// missing, with an example; a figure of the kind's own is read off takes and is refused.
Result<TypedFigure> understand_typed(const std::string& line, const study::Kind& kind);

/// As the claims of a study see them: each name once.
std::vector<study::FigureName> names_of(const std::vector<TypedFigure>& figures);

/// The figure of a key on a unit; null where nobody has typed it in.
const TypedFigure* find_typed(const std::vector<TypedFigure>& figures, std::string_view key, long long unit);

}  // namespace heron::judge
