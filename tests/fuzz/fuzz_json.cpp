#include <cstddef>
#include <cstdint>
#include <nlohmann/json.hpp>
#include <string>

#include "bench/hookup.h"
#include "device/expectation.h"
#include "study/iv/brief.h"
#include "study/iv/ramp.h"
#include "study/kind.h"
#include "study/response/brief.h"

/// What a dossier holds as JSON may be anything: plans, hookups, ratings, the settings of points.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace heron;
  const auto json = nlohmann::json::parse(data, data + size, nullptr, false);
  if (json.is_discarded()) return 0;
  if (const auto plan = study::response::plan_from_json(json)) (void)study::response::brief(*plan);
  if (const auto plan = study::iv::plan_from_json(json)) (void)study::iv::brief(*plan);
  (void)study::iv::ramp_from_json(json);
  (void)bench::hookup_from_json(json);
  (void)bench::chain_from_json(json);
  (void)bench::sensor_from_json(json);
  (void)bench::sensing_from_json(json);
  (void)device::ratings_from_json(json);
  (void)device::expectations_from_json(json);
  study::Record record{.sample_rate = 1e4};
  for (const char* role : {"stimulus", "response"}) {
    study::Channel channel{.role = role, .unit = "V"};
    for (int k = 0; k < 64; ++k) channel.counts.push_back(std::int16_t((k * 37) % 101));
    record.channels.push_back(channel);
  }
  for (const auto* kind : study::kinds())
    if (const auto analysis = kind->analyse({study::Point{.setting = json, .records = {record}}}, {}, {});
        !analysis && analysis.error().message.empty())
      __builtin_trap();
  return 0;
}
