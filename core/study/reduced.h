#pragma once
#include <complex>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/result.h"
#include "study/columns.h"
#include "study/figure.h"
#include "study/raw.h"

namespace heron::study {

/// Figures, doubts and the curve that masks are held against, all read with the same settings.
struct Analysis {
  Reading reading;
  LazyColumns curve;
  SettingsText settings;  ///< as used
};

/// A curve as a network element: S21 of a gain, Z11 of an impedance.
struct NetworkCurve {
  bool impedance = false;
  std::vector<double> frequency;             ///< Hz
  std::vector<std::complex<double>> values;  ///< 1, or ohm
};

/// What the points of a take came to: the one object behind figures, lenses, ledger and export. Never altered once
/// made; shared between threads.
class Reduced {
 public:
  virtual ~Reduced() = default;
  Reduced() = default;
  Reduced(const Reduced&) = delete;
  Reduced& operator=(const Reduced&) = delete;

  /// Figures, doubts and curve.
  /// @param asked  figures with parameters that claims want
  /// @return an error where the settings leave nothing to read
  virtual Result<Analysis> read(const SettingsText& settings, const std::vector<std::string>& asked) const = 0;

  /// Whether figures can be read within a frame, for drawing while a take runs.
  virtual bool quick() const = 0;

  /// The shape of it in few points, for small pictures.
  virtual Columns small() const = 0;

  /// Every reading, one row each, where the curve leaves some out; nothing where it does not.
  virtual std::optional<Record> readings() const { return std::nullopt; }

  /// Further tables that an export writes, by their names.
  virtual std::vector<std::pair<std::string, Record>> tables() const { return {}; }

  /// As network data, where it is such.
  virtual std::optional<NetworkCurve> network() const { return std::nullopt; }

  /// What it holds in memory.
  virtual std::size_t bytes() const = 0;
};
using ReducedPtr = std::shared_ptr<const Reduced>;

/// Puts points together as they come: from a running take or from a dossier alike.
class Reducer {
 public:
  virtual ~Reducer() = default;
  Reducer() = default;
  Reducer(const Reducer&) = delete;
  Reducer& operator=(const Reducer&) = delete;

  /// Fault::input for what is no point of such a study; what came before stays.
  virtual Result<void> add(const Point& point) = 0;

  /// Whether a point that is still being read can be added again and again, each time with more records: it takes its own place
  /// then, and what was read of it is not read anew.
  virtual bool grows() const { return false; }

  /// What is there so far. Fault::input for nothing.
  virtual Result<ReducedPtr> so_far() const = 0;
};

}  // namespace heron::study
