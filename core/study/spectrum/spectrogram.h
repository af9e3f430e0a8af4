#pragma once
#include <stop_token>
#include <vector>

#include "study/spectrum/settings.h"
#include "study/trace.h"

namespace heron::study::spectrum {

/// How a record's spectrum changes along it: mean square of each cell, as a tone of that mean square would show.
struct Spectrogram {
  int columns = 0, rows = 0;    ///< time, frequency from 0 up
  double from = 0, to = 0;      ///< s, over all columns
  double highest_frequency = 0;  ///< Hz, above the last row
  std::size_t segment = 0;      ///< samples that one transform sees
  double line = 0;              ///< Hz between its lines
  std::vector<double> cells;    ///< row after row

  double at(int column, int row) const { return cells[std::size_t(row) * std::size_t(columns) + std::size_t(column)]; }
};

/// A length of stretches so that time and frequency are told alike: about as many stretches as lines in each.
std::size_t balanced_segment(std::size_t samples);

/// One transform after another under a Hann window, each lying beside the last. Of those that share a column the mean, of
/// lines that share a row the highest.
/// @param first,last  samples
/// @param segment     of one transform
/// @return Fault::input where there are too few samples, Fault::stopped
Result<Spectrogram> spectrogram_of(const Trace& trace, std::size_t first, std::size_t last, std::size_t segment, int most_columns, int most_rows,
                                   std::stop_token stop = {});

}  // namespace heron::study::spectrum
