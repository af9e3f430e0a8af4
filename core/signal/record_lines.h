#pragma once
#include <complex>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "base/result.h"
#include "signal/tone_lines.h"
#include "signal/window.h"

/// The lines of one record's spectrum under any window that is a sum of cosines: transformed once, windowed afterwards.
namespace heron::signal {

/// O(n log n) once; every window after that is O(lines).
class RecordLines {
 public:
  /// @param values  at least 8; the last of an odd number is left out
  explicit RecordLines(std::span<const double> values);
  /// The same of values that `fill` writes where they are transformed: one copy less of a long record.
  /// @param samples  at least 8, even
  /// @return what fill failed with
  static Result<RecordLines> filled(std::size_t samples, const std::function<Result<void>(std::span<double>)>& fill);
  ~RecordLines();
  RecordLines(RecordLines&&) noexcept;

  std::size_t samples() const { return samples_; }
  std::size_t lines() const { return samples_ / 2 + 1; }

  /// Mean of v e^(-2 pi i k t / n) over the windowed samples; any k, those below zero mirrored.
  std::complex<double> at(std::ptrdiff_t k, const std::vector<double>& cosines) const;

  /// Adds to each line the power that it holds: lines of noise add up to its mean square.
  void add_power(const WindowFacts& window, std::vector<double>& into) const;

  /// The same of one line, without tones of this record and window.
  double power_at(std::size_t k, const WindowFacts& window, std::span<const ToneLines> without) const;

  /// The largest of lines [from, to), as they are without a window, and its power; 0 where nothing is.
  struct Largest {
    std::size_t line = 0;
    double power = 0;
  };
  Largest largest(std::size_t from, std::size_t to) const;

  /// The sine whose main lobe has its top at about this line, with its own mirror image taken into account; nothing where
  /// no sine fits.
  /// @param without  other tones of the same record and window, which are taken off before
  std::optional<LineTone> tone_near(std::size_t line, const WindowFacts& window, std::span<const ToneLines> without = {}) const;

 private:
  explicit RecordLines(std::size_t samples);
  void transform();
  std::size_t samples_;
  struct Lines;
  std::unique_ptr<Lines> plain_;
};

/// Standard uncertainties of a tone read by tone_near() in white noise.
struct ToneUncertainty {
  double place = 0, peak = 0;
};
/// @param noise  mean square of white noise on each sample
ToneUncertainty u_of(const LineTone& tone, const WindowFacts& window, Window which, std::size_t samples, double noise);

}  // namespace heron::signal
