#include <cstddef>
#include <cstdint>
#include <string>

#include "exchange/columns.h"
#include "study/kind.h"

/// Whatever a table holds, it is read with figures or refused in a sentence.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace heron;
  const auto table = exchange::read_table(std::string(reinterpret_cast<const char*>(data), size), "table.csv");
  if (!table) {
    if (table.error().message.empty()) __builtin_trap();
    return 0;
  }
  for (const auto* kind : study::kinds()) {
    auto record = exchange::pick_columns(*table, *kind, {});
    if (!record) {
      if (record.error().message.empty()) __builtin_trap();
      continue;
    }
    std::vector<study::Point> points(1);
    points.front().setting = nlohmann::json::object();
    points.front().records.push_back(std::move(*record));
    const auto analysis = kind->analyse(points, {}, {});
    if (!analysis && analysis.error().message.empty()) __builtin_trap();
  }
  return 0;
}
