#include <cstddef>
#include <cstdint>
#include <string>

#include "study/iv/brief.h"
#include "study/response/brief.h"

namespace {

/// The first byte chooses the word, the rest is what is typed into it. What is taken can be written and read again.
template <class Plan, class Brief, class Apply>
void type(const Plan& plan, std::uint8_t which, const std::string& text, Brief brief, Apply apply) {
  std::vector<std::string> keys;
  for (const auto& piece : brief(plan))
    if (!piece.key.empty()) keys.push_back(piece.key);
  const auto changed = apply(plan, keys[which % keys.size()], text, std::vector<std::string>{"in", "out"});
  if (!changed) {
    if (changed.error().message.empty()) __builtin_trap();
    return;
  }
  (void)brief(*changed);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace heron::study;
  if (size == 0) return 0;
  const std::string text(reinterpret_cast<const char*>(data) + 1, size - 1);
  const response::Plan sweep{.drive_pin = "in", .hookup = response::direct_hookup("in", "out")};
  type(sweep, data[0], text, response::brief, response::apply);
  auto noise = sweep;
  noise.method = response::Method::noise;
  type(noise, data[0], text, response::brief, response::apply);
  iv::Plan family{.sources = {{.name = "drain", .pin = "in", .role = iv::Role::swept},
                              {.name = "gate", .pin = "out", .role = iv::Role::stepped}}};
  type(family, data[0], text, iv::brief, iv::apply);
  family.method = iv::Method::waveform;
  family.hookup = iv::shunt_hookup("in");
  type(family, data[0], text, iv::brief, iv::apply);
  return 0;
}
