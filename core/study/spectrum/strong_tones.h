#pragma once
#include <optional>
#include <span>
#include <vector>

#include "signal/record_lines.h"
#include "study/spectrum/spectrum.h"

namespace heron::study::spectrum {

/// A tone that is taken off before the rest is read, over all records.
struct Taken {
  std::size_t line = 0;
  double places = 0, powers = 0;
  std::size_t fits = 0;
  signal::LineTone last = {};

  double place() const { return places / double(fits); }
  double power() const { return powers / double(fits); }
  /// Read off one record more, without the tones that are taken off there already; false where no tone fits.
  bool fit(const signal::RecordLines& in, const signal::WindowFacts& window, std::span<const signal::ToneLines> without);
};

/// The fundamental, and the tones beside it whose leakage would count in the noise, taken off records under a window.
class StrongTones {
 public:
  /// @param line      where the fundamental stands in most of the records
  /// @param takes_off false: the fundamental is read, and all lines stay as they are
  StrongTones(signal::WindowFacts window, std::size_t line, bool takes_off) : window_(std::move(window)), takes_off_(takes_off), fundamental_{.line = line} {}

  /// @param leaks  what leaks beside a tone of power 1
  /// @param rest   power of the first record's lines; comes back without the tones
  void begin(const signal::RecordLines& first, double leaks, std::vector<double>& rest);
  /// Another record.
  void add(const signal::RecordLines& one);
  /// Of all records together: puts what is left of them where tones were taken off.
  /// @param rest  the sum of all records' lines
  void put_into(std::vector<double>& rest) const;

  const Taken& fundamental() const { return fundamental_; }
  const std::vector<Taken>& others() const { return others_; }
  /// As they were taken off the first record.
  std::span<const signal::ToneLines> of_first() const { return of_first_; }

 private:
  /// Lines that any of the tones reaches, with what is left there.
  struct Stretch {
    std::size_t first = 0;
    std::vector<double> left;
  };

  signal::WindowFacts window_;
  bool takes_off_;
  Taken fundamental_;
  std::vector<Taken> others_;
  std::vector<signal::ToneLines> of_first_;
  std::vector<Stretch> stretches_;
  double least_ = 0;  ///< power of a line, that is not worth taking off
};

}  // namespace heron::study::spectrum
