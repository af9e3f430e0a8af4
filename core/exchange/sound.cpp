#include "exchange/sound.h"

#include <sndfile.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <memory>

#include "base/utf8.h"

namespace heron::exchange {
namespace {

constexpr sf_count_t kMostFrames = sf_count_t(1) << 27;
constexpr std::size_t kAtOnce = std::size_t(1) << 16;  ///< frames

struct Closed {
  void operator()(SNDFILE* file) const { sf_close(file); }
};
using Handle = std::unique_ptr<SNDFILE, Closed>;

Result<Handle> open(const std::string& path, SF_INFO& about) {
  about = {};
  Handle file(sf_open(path.c_str(), SFM_READ, &about));
  if (!file) return fail(Fault::input, "{}: it cannot be read as sound: {}.", as_utf8(path), sf_strerror(nullptr));
  if (about.channels < 1 || about.samplerate < 1) return fail(Fault::input, "{}: it has no channel or no rate.", as_utf8(path));
  if (about.frames < 1) return fail(Fault::input, "{}: it holds no sample.", as_utf8(path));
  if (about.frames > kMostFrames)
    return fail(Fault::input, "{}: {} samples a channel are too many; {} are the most.", as_utf8(path), about.frames, kMostFrames);
  return file;
}

Result<int> channel_number(const std::string& text, int channels, const std::string& path) {
  std::string_view digits = text;
  if (digits.starts_with("channel ")) digits.remove_prefix(8);
  int number = 0;
  const auto [end, fault] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
  if (fault != std::errc() || end != digits.data() + digits.size() || number < 1 || number > channels)
    return fail(Fault::input, "{}: there is no channel \"{}\"; there are 1 to {}.", as_utf8(path), text, channels);
  return number;
}

}  // namespace

bool is_sound(const std::string& ending) { return ending == ".wav" || ending == ".flac"; }

Result<std::vector<std::string>> sound_channels(const std::string& path) {
  SF_INFO about;
  const auto file = open(path, about);
  if (!file) return tl::unexpected(file.error());
  std::vector<std::string> out;
  for (int k = 1; k <= about.channels; ++k) out.push_back(fmt::format("channel {}", k));
  return out;
}

Result<FileCurve> read_sound(const std::string& path, const ColumnChoice& choice) {
  SF_INFO about;
  const auto file = open(path, about);
  if (!file) return tl::unexpected(file.error());
  struct Wanted {
    std::string role;
    int channel = 1;
    double factor = 1;
  };
  std::vector<Wanted> wanted;
  for (const auto& [role, text] : choice.column) {
    const auto number = channel_number(text, about.channels, path);
    if (!number) return tl::unexpected(number.error());
    wanted.push_back({role, *number});
  }
  if (wanted.empty()) wanted.push_back({"v"});
  for (const auto& [role, factor] : choice.scale) {
    const auto it = std::find_if(wanted.begin(), wanted.end(), [&, name = role](const Wanted& w) { return w.role == name; });
    if (it == wanted.end()) return fail(Fault::usage, "{}: --scale {}: no channel is taken as that.", as_utf8(path), role);
    it->factor = factor;
  }
  FileCurve out{.name = as_utf8(std::filesystem::path(path).filename().string()), .record = {.sample_rate = double(about.samplerate)}, .notes = {}};
  if (const char* note = sf_get_string(file->get(), SF_STR_COMMENT)) out.notes = as_utf8(note);
  for (const auto& one : wanted)
    out.record.channels.push_back({.role = one.role, .unit = "1", .pin = {}, .counts = {}, .numbers = {}});
  std::vector<double> frames(kAtOnce * std::size_t(about.channels));
  sf_count_t read = 0;
  while (true) {
    const auto now = sf_readf_double(file->get(), frames.data(), sf_count_t(kAtOnce));
    if (now <= 0) break;
    for (std::size_t k = 0; k < wanted.size(); ++k) {
      auto& numbers = out.record.channels[k].numbers;
      for (sf_count_t i = 0; i < now; ++i)
        numbers.push_back(wanted[k].factor * frames[std::size_t(i * about.channels + wanted[k].channel - 1)]);
    }
    read += now;
  }
  if (read < about.frames)
    return fail(Fault::input, "{}: it ends after {} of {} samples; is it cut short?", as_utf8(path), read, about.frames);
  for (std::size_t k = 0; k < wanted.size(); ++k)
    for (std::size_t i = 0; i < out.record.channels[k].numbers.size(); ++i)
      if (!std::isfinite(out.record.channels[k].numbers[i]))
        return fail(Fault::input, "{}: sample {} of channel {} is no number.", as_utf8(path), i + 1, wanted[k].channel);
  return out;
}

}  // namespace heron::exchange
