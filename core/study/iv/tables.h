#pragma once
#include "study/iv/curve.h"
#include "study/kind.h"

/// Families as tables, for files and for masks.
namespace heron::study::iv {

/// Current over voltage of the first stretch; of a family one column a curve, each over its own voltages.
Columns as_columns(const Family& family);

/// Every reading, one row each in the order taken: step, cycle, time, what was asked, what every source read, the
/// ranges, and whether the instrument's limit held.
Record as_table(const Family& family);

}  // namespace heron::study::iv
