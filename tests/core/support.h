#pragma once
#include <unistd.h>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <numbers>
#include <random>
#include <string>
#include <vector>

/// What several tests need. Nothing here comes from the code under test.
namespace heron::test {

struct SineSpec {
  double rate = 48e3, frequency = 1e3, peak = 1, phase = 0, dc = 0, noise = 0;
};

/// peak cos(2 pi f t + phase) + dc with white noise of the given rms.
inline std::vector<double> sine(const SineSpec& s, std::size_t samples, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> out(samples);
  for (std::size_t i = 0; i < samples; ++i)
    out[i] = s.peak * std::cos(2 * std::numbers::pi * s.frequency / s.rate * double(i) + s.phase) + s.dc +
             (s.noise > 0 ? s.noise * normal(random) : 0);
  return out;
}

/// With plain spaces where a text has narrow ones that do not break.
inline std::string spaced(std::string text) {
  for (const std::string narrow : {"\u2009", "\u00a0", "\u202f"})
    for (auto at = text.find(narrow); at != std::string::npos; at = text.find(narrow, at)) text.replace(at, narrow.size(), " ");
  return text;
}

/// A folder that goes away with the test.
class Folder {
 public:
  Folder() {
    static std::atomic<int> count = 0;
    path_ = std::filesystem::temp_directory_path() /
            ("heron-test-" + std::to_string(getpid()) + "-" + std::to_string(++count));
    std::filesystem::create_directories(path_);
  }
  ~Folder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  std::string file(const std::string& name) const { return (path_ / name).string(); }
  std::string write(const std::string& name, const std::string& content) const {
    std::ofstream(file(name), std::ios::binary) << content;
    return file(name);
  }
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

}  // namespace heron::test
