#include <cstddef>
#include <cstdint>
#include <string>

#include "judge/claim_words.h"
#include "study/kind.h"

/// Claims as a file and as a line are understood or refused in a sentence; what is understood can be judged.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace heron;
  const std::string text(reinterpret_cast<const char*>(data), size);
  for (const auto* kind : study::kinds()) {
    const auto claims = judge::read_claims(text, "claims.toml", *kind);
    if (!claims && claims.error().message.empty()) __builtin_trap();
    (void)judge::understand_mask(text, *kind);
    if (const auto claim = judge::understand_claim(text, *kind)) (void)judge::judge(*claim, study::Reading{}, {});
    if (!claims) continue;
    for (const auto& claim : claims->claims) {
      (void)judge::check(claim, *kind, nullptr);
      (void)judge::judge(claim, study::Reading{}, {});
    }
  }
  return 0;
}
