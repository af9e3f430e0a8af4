#include <unistd.h>

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>

#include "dossier/store.h"

namespace {

using namespace heron;

std::string path(const char* name) {
  return (std::filesystem::temp_directory_path() / (std::to_string(getpid()) + name)).string();
}

/// A small dossier with a study, a claim and a take, as bytes.
std::string sound() {
  const auto file = path("-sound.heron");
  {
    auto store = dossier::Store::create(file);
    const auto study = store->add_study({.name = "Gain", .kind = "response"});
    (void)store->add_claim(*study, {.text = "Corner above 1 kHz", .figure = "corner.high"});
    const auto take = store->begin_take(*study, "unit 01", "imported", nlohmann::json::object(), 1);
    study::Record record;
    for (const char* role : {"frequency", "gain"}) {
      study::Channel channel{.role = role, .unit = role[0] == 'f' ? "Hz" : "dB"};
      for (int k = 1; k < 20; ++k) channel.numbers.push_back(k * 10.5);
      record.channels.push_back(channel);
    }
    (void)store->add_point(*take, {.setting = nlohmann::json::object(), .records = {record}});
    (void)store->finish_take(*take, dossier::TakeState::finished);
  }
  std::ifstream in(file, std::ios::binary);
  std::string out{std::istreambuf_iterator<char>(in), {}};
  std::filesystem::remove(file);
  return out;
}

}  // namespace

/// Four bytes each: where, how far on, and with what a sound dossier is overwritten; it opens and tells what it holds, or
/// says why not.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::string whole = sound();
  auto bytes = whole;
  for (std::size_t k = 0; k + 3 < size; k += 4) {
    const std::size_t at = (std::size_t(data[k]) << 16 | std::size_t(data[k + 1]) << 8 | data[k + 2]) % (bytes.size() + 1);
    if (at == bytes.size())
      bytes.resize(std::max<std::size_t>(1, bytes.size() * (1 + data[k + 3]) / 256));
    else
      bytes[at] = char(data[k + 3]);
  }
  const auto file = path("-bent.heron");
  std::ofstream(file, std::ios::binary) << bytes;
  {
    auto store = dossier::Store::open(file);
    if (!store) {
      if (store.error().message.empty()) __builtin_trap();
    } else {
      (void)store->device();
      (void)store->check_all();
      if (const auto studies = store->studies())
        for (const auto& study : *studies) {
          (void)store->claims(study.id);
          (void)store->masks(study.id);
          if (const auto takes = store->takes(study.id))
            for (const auto& take : *takes) (void)store->points(take.id);
        }
    }
  }
  for (const char* ending : {"", "-wal", "-shm", "-journal"}) std::filesystem::remove(file + ending);
  return 0;
}
