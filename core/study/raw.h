#pragma once
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "bench/bench.h"
#include "study/applied.h"
#include "study/samples.h"

/// Raw data as the dossier keeps them. Written once, never altered; everything else is a function of them.
namespace heron::study {

/// Samples of one quantity: counts of a converter with their scale, or plain numbers from a file.
struct Channel {
  std::string role;  ///< "stimulus", "response", or an imported column: "frequency", "gain", "phase"...
  std::string unit;  ///< of the values
  std::string pin;   ///< where it was sensed; empty for imported data

  std::vector<std::int16_t> counts;  ///< either these...
  double scale = 1;                  ///< unit per count
  std::vector<double> numbers = {};  ///< ...or these...

  std::optional<double> range;  ///< full range, in the unit; unknown for imported data
  int lowest_count = 0, highest_count = 0;
  double u_gain = 0;    ///< relative standard uncertainty of the scale
  double u_delay = 0;   ///< s
  double u_offset = 0;  ///< standard uncertainty of the zero, in the unit
  std::shared_ptr<const Samples> recording = nullptr;  ///< ...or counts that stay where they lie...
  std::shared_ptr<const StoredNumbers> stored = nullptr;  ///< ...or numbers that do

  bool counted() const { return !counts.empty() || recording; }
  std::size_t size() const {
    return recording ? recording->size() : stored ? stored->size() : counts.empty() ? numbers.size() : counts.size();
  }
  /// All of them, in the unit; NaN where what lies elsewhere cannot be read.
  std::vector<double> values() const;
};

/// On which line of its file each row of a table stands: a few stretches without a gap.
class RowLines {
 public:
  /// The line of the next row.
  void add(int line);
  std::size_t rows() const { return rows_; }
  /// @param row  below rows()
  int line(std::size_t row) const;
  /// Those of some rows, of which the first becomes row 0.
  RowLines part(std::size_t first, std::size_t last) const;

 private:
  struct Stretch {
    std::size_t row;
    int line;
  };
  std::vector<Stretch> stretches_;
  std::size_t rows_ = 0;
};

/// What was read in one go.
struct Record {
  int pass = 0;            ///< which of the averages
  double sample_rate = 0;  ///< Hz; 0 for a table
  std::vector<Channel> channels;
  RowLines lines = {};  ///< of a table just read from a file; not kept in a dossier

  const Channel* find(std::string_view role) const;
  /// "Line 12" of the file where that is known, else "Row 10".
  std::string where(std::size_t row) const;
};

/// One step of a sweep.
struct Point {
  int index = 0;
  Applied setting;
  std::vector<Record> records;
};

/// The capture of a bench as a record; roles in the order the inputs were connected.
Record as_record(const bench::Capture& capture, std::span<const std::string> roles, int pass);

}  // namespace heron::study
