#pragma once
#include <optional>

#include "exchange/csv_reader.h"
#include "study/kind.h"

namespace heron::exchange {

/// A table whose curves stand beside each other, "voltage, current at 5 mA, current at 10 mA" or with a voltage for
/// each, as one whose curves stand one after another with a column step. Nothing for other tables. Rows in which a
/// curve's cells are empty are not its.
Result<std::optional<Table>> unfolded(const Table& table, const study::Kind& kind);

}  // namespace heron::exchange
