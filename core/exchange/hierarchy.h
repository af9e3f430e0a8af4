#pragma once
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "exchange/curves.h"
#include "study/applied.h"

/// Records in HDF5 files: a group a record, in it a dataset a quantity. Counts stay integers; attributes `unit`, `scale` and
/// `offset` of a dataset make them the quantity (scale * count + offset), `sample_rate` (Hz) and `start` (s) of the group
/// say when.
namespace heron::exchange {

bool is_hierarchy(const std::string& ending);  ///< ".h5", ".hdf5"

/// Every record of a file, as the kind reads it. Fault::input with the group and the dataset that cannot be read.
Result<std::vector<FileCurve>> read_hierarchy(const std::string& path);

/// Writes one record after another; a long one goes by stretches. The file appears whole, by finish(), or not at all.
class HierarchyWriter {
 public:
  static Result<std::unique_ptr<HierarchyWriter>> create(const std::string& path);
  ~HierarchyWriter();
  HierarchyWriter(const HierarchyWriter&) = delete;
  HierarchyWriter& operator=(const HierarchyWriter&) = delete;

  /// @param group  its name
  /// @param start  s of the first sample from the trigger
  Result<void> add(const std::string& group, const study::Record& record, const study::AsSensed& sensed, double start);
  Result<void> finish();

 private:
  struct Impl;
  explicit HierarchyWriter(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

}  // namespace heron::exchange
