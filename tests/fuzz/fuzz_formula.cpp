#include <cstddef>
#include <cstdint>
#include <string>

#include "base/formula.h"
#include "base/quantity.h"
#include "study/hookup_words.h"

/// Whatever is typed into a formula or a quantity is a value or a sentence.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  const auto formula = heron::Formula::read(text, {"v1", "v2", "R7", "t"});
  if (formula) {
    const double values[] = {1.5, -2, 0, 1e-3};
    (void)(*formula)(values);
  } else if (formula.error().message.empty()) {
    __builtin_trap();
  }
  (void)heron::parse_quantity(text, "V");
  heron::bench::Hookup hookup;
  (void)heron::study::set_hookup_word(hookup, "compute", text, {"in"});
  return 0;
}
