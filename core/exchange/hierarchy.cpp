#include "exchange/hierarchy.h"

#include <hdf5.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <optional>
#include <utility>

#include "base/utf8.h"

namespace heron::exchange {
namespace {

constexpr hsize_t kMostSamples = hsize_t(1) << 27;

/// An identifier of the library, closed when it goes.
class Id {
 public:
  Id(hid_t id, herr_t (*close)(hid_t)) : id_(id), close_(close) {}
  ~Id() {
    if (id_ >= 0) close_(id_);
  }
  Id(Id&& other) noexcept : id_(std::exchange(other.id_, -1)), close_(other.close_) {}
  Id& operator=(Id&&) = delete;
  operator hid_t() const { return id_; }
  bool good() const { return id_ >= 0; }

 private:
  hid_t id_;
  herr_t (*close_)(hid_t);
};

/// The library writes its own errors to the terminal unless told not to.
struct Quiet {
  Quiet() { H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr); }
};

std::optional<double> number_at(hid_t object, const char* name) {
  if (H5Aexists(object, name) <= 0) return std::nullopt;
  const Id attribute(H5Aopen(object, name, H5P_DEFAULT), H5Aclose);
  double value = 0;
  if (!attribute.good() || H5Aread(attribute, H5T_NATIVE_DOUBLE, &value) < 0) return std::nullopt;
  return value;
}

std::optional<std::string> text_at(hid_t object, const char* name) {
  if (H5Aexists(object, name) <= 0) return std::nullopt;
  const Id attribute(H5Aopen(object, name, H5P_DEFAULT), H5Aclose);
  const Id type(attribute.good() ? H5Aget_type(attribute) : -1, H5Tclose);
  if (!type.good() || H5Tget_class(type) != H5T_STRING) return std::nullopt;
  if (H5Tis_variable_str(type) > 0) {
    char* text = nullptr;
    const Id memory(H5Tcopy(H5T_C_S1), H5Tclose);
    H5Tset_size(memory, H5T_VARIABLE);
    H5Tset_cset(memory, H5Tget_cset(type));
    if (H5Aread(attribute, memory, &text) < 0 || !text) return std::nullopt;
    std::string out(text);
    H5free_memory(text);
    return as_utf8(out);
  }
  std::string out(H5Tget_size(type) + 1, '\0');
  if (H5Aread(attribute, type, out.data()) < 0) return std::nullopt;
  out.resize(std::char_traits<char>::length(out.c_str()));
  return as_utf8(out);
}

std::vector<std::string> names_in(hid_t group) {
  std::vector<std::string> out;
  const auto each = [](hid_t, const char* name, const H5L_info_t*, void* into) -> herr_t {
    static_cast<std::vector<std::string>*>(into)->push_back(name);
    return 0;
  };
  hsize_t index = 0;
  H5Literate(group, H5_INDEX_NAME, H5_ITER_NATIVE, &index, each, &out);
  std::sort(out.begin(), out.end());
  return out;
}

bool holds(hid_t parent, const std::string& name, H5I_type_t what) {
  const Id object(H5Oopen(parent, name.c_str(), H5P_DEFAULT), H5Oclose);
  return object.good() && H5Iget_type(object) == what;
}

Result<FileCurve> read_group(hid_t group, const std::string& where, const std::string& name) {
  FileCurve out{.name = name, .record = {}, .notes = {}};
  std::optional<double> rate = number_at(group, "sample_rate"), start = number_at(group, "start");
  hsize_t samples = 0;
  for (const auto& role : names_in(group)) {
    if (!holds(group, role, H5I_DATASET)) continue;
    const Id data(H5Dopen2(group, role.c_str(), H5P_DEFAULT), H5Dclose);
    const Id space(data.good() ? H5Dget_space(data) : -1, H5Sclose);
    const Id type(data.good() ? H5Dget_type(data) : -1, H5Tclose);
    if (!space.good() || !type.good()) return fail(Fault::input, "{}: {} cannot be opened.", where, role);
    const auto sort = H5Tget_class(type);
    if (sort != H5T_INTEGER && sort != H5T_FLOAT) return fail(Fault::input, "{}: {} holds no numbers.", where, role);
    hsize_t size = 0;
    if (H5Sget_simple_extent_ndims(space) != 1 || H5Sget_simple_extent_dims(space, &size, nullptr) < 0)
      return fail(Fault::input, "{}: {} is no plain row of numbers.", where, role);
    if (size == 0) return fail(Fault::input, "{}: {} is empty.", where, role);
    if (size > kMostSamples)
      return fail(Fault::input, "{}: {} has {} samples; {} are the most.", where, role, size, kMostSamples);
    if (samples != 0 && size != samples)
      return fail(Fault::input, "{}: {} has {} samples, the one before {}.", where, role, size, samples);
    samples = size;
    study::Channel channel{.role = as_utf8(role), .unit = text_at(data, "unit").value_or(""), .pin = {}, .counts = {}, .numbers = std::vector<double>(size)};
    if (H5Dread(data, H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, channel.numbers.data()) < 0)
      return fail(Fault::input, "{}: {} cannot be read; is the file damaged?", where, role);
    const double scale = number_at(data, "scale").value_or(1), offset = number_at(data, "offset").value_or(0);
    for (std::size_t k = 0; k < channel.numbers.size(); ++k) {
      auto& v = channel.numbers[k];
      if (scale != 1 || offset != 0) v = v * scale + offset;
      if (!std::isfinite(v)) return fail(Fault::input, "{}: {}: sample {} is no number.", where, role, k + 1);
    }
    if (!rate) rate = number_at(data, "sample_rate");
    if (!start) start = number_at(data, "start");
    out.record.channels.push_back(std::move(channel));
  }
  if (out.record.channels.empty()) return fail(Fault::input, "{}: it holds no quantity.", where);
  if (rate && !(*rate > 0 && std::isfinite(*rate))) return fail(Fault::input, "{}: a sample rate of {} makes no sense.", where, *rate);
  if (!out.record.find("time")) {
    if (!rate) return fail(Fault::input, "{}: it says neither its sample_rate nor holds a quantity called time.", where);
    if (start && *start != 0) {
      // Times of their own, so that the first sample need not be at zero.
      study::Channel time{.role = "time", .unit = "s", .pin = {}, .counts = {}, .numbers = {}};
      for (hsize_t k = 0; k < samples; ++k) time.numbers.push_back(*start + double(k) / *rate);
      out.record.channels.insert(out.record.channels.begin(), std::move(time));
    } else {
      out.record.sample_rate = *rate;
    }
  }
  return out;
}

bool put_number(hid_t object, const char* name, double value) {
  const Id space(H5Screate(H5S_SCALAR), H5Sclose);
  const Id attribute(H5Acreate2(object, name, H5T_IEEE_F64LE, space, H5P_DEFAULT, H5P_DEFAULT), H5Aclose);
  return attribute.good() && H5Awrite(attribute, H5T_NATIVE_DOUBLE, &value) >= 0;
}

bool put_text(hid_t object, const char* name, const std::string& value) {
  const Id space(H5Screate(H5S_SCALAR), H5Sclose);
  const Id type(H5Tcopy(H5T_C_S1), H5Tclose);
  H5Tset_size(type, value.size() + 1);
  H5Tset_cset(type, H5T_CSET_UTF8);
  const Id attribute(H5Acreate2(object, name, type, space, H5P_DEFAULT, H5P_DEFAULT), H5Aclose);
  return attribute.good() && H5Awrite(attribute, type, value.c_str()) >= 0;
}

}  // namespace

bool is_hierarchy(const std::string& ending) { return ending == ".h5" || ending == ".hdf5"; }

Result<std::vector<FileCurve>> read_hierarchy(const std::string& path) {
  static const Quiet quiet;
  const auto shown = as_utf8(path);
  if (!std::filesystem::exists(path)) return fail(Fault::input, "{}: there is no such file.", shown);
  if (H5Fis_hdf5(path.c_str()) <= 0) return fail(Fault::input, "{}: it is no HDF5 file, or damaged.", shown);
  const Id file(H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT), H5Fclose);
  if (!file.good()) return fail(Fault::input, "{}: it cannot be opened.", shown);
  const auto name = as_utf8(std::filesystem::path(path).filename().string());
  std::vector<FileCurve> out;
  for (const auto& group : names_in(file)) {
    if (!holds(file, group, H5I_GROUP)) continue;
    const Id one(H5Gopen2(file, group.c_str(), H5P_DEFAULT), H5Gclose);
    auto curve = read_group(one, fmt::format("{}: {}", shown, as_utf8(group)), fmt::format("{}, {}", name, as_utf8(group)));
    if (!curve) return tl::unexpected(curve.error());
    out.push_back(std::move(*curve));
  }
  // Datasets without a group are one record.
  if (out.empty()) {
    const Id root(H5Gopen2(file, "/", H5P_DEFAULT), H5Gclose);
    auto curve = read_group(root, shown, name);
    if (!curve) return tl::unexpected(curve.error());
    out.push_back(std::move(*curve));
  }
  return out;
}

struct HierarchyWriter::Impl {
  std::string path, beside;
  hid_t file = -1;  ///< until it is closed

  bool close() { return file < 0 || H5Fclose(std::exchange(file, -1)) >= 0; }
};

HierarchyWriter::HierarchyWriter(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}

HierarchyWriter::~HierarchyWriter() {
  if (impl_->file < 0) return;
  (void)impl_->close();
  std::remove(impl_->beside.c_str());
}

Result<std::unique_ptr<HierarchyWriter>> HierarchyWriter::create(const std::string& path) {
  static const Quiet quiet;
  const auto beside = path + ".part";
  const auto file = H5Fcreate(beside.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT);
  if (file < 0) return fail(Fault::input, "{}: it cannot be written.", as_utf8(path));
  return std::unique_ptr<HierarchyWriter>(new HierarchyWriter(std::unique_ptr<Impl>(new Impl{path, beside, file})));
}

Result<void> HierarchyWriter::add(const std::string& name, const study::Record& record, const study::AsSensed& sensed, double start) {
  const auto cannot = [&](const std::string& what) {
    return fail(Fault::input, "{}: {} cannot be written; is the disk full?", as_utf8(impl_->path), what);
  };
  const Id group(H5Gcreate2(impl_->file, name.c_str(), H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT), H5Gclose);
  if (!group.good()) return cannot(name);
  if (record.sample_rate > 0 && !(put_number(group, "sample_rate", record.sample_rate) && put_number(group, "start", start)))
    return cannot(name);
  for (const auto& channel : record.channels) {
    const hsize_t size = channel.size();
    const Id space(H5Screate_simple(1, &size, nullptr), H5Sclose);
    const bool counted = channel.counted();
    const Id data(H5Dcreate2(group, channel.role.c_str(), counted ? H5T_STD_I16LE : H5T_IEEE_F64LE, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT), H5Dclose);
    if (!data.good()) return cannot(channel.role);
    bool good = true;
    const auto write = [&](hsize_t first, auto held) {
      const hsize_t count = held.size();
      const Id here(H5Screate_simple(1, &count, nullptr), H5Sclose), there(H5Dget_space(data), H5Sclose);
      good = good && H5Sselect_hyperslab(there, H5S_SELECT_SET, &first, nullptr, &count, nullptr) >= 0 &&
             H5Dwrite(data, counted ? H5T_NATIVE_INT16 : H5T_NATIVE_DOUBLE, here, there, H5P_DEFAULT, held.data()) >= 0;
    };
    if (channel.recording) {
      if (auto ok = study::for_each_stretch(*channel.recording, write); !ok) return ok;
    } else if (channel.stored) {
      if (auto ok = study::for_each_stretch(*channel.stored, write); !ok) return ok;
    } else if (counted) {
      write(0, std::span(channel.counts));
    } else {
      good = H5Dwrite(data, H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, channel.numbers.data()) >= 0;
    }
    const bool known = sensed.channels.contains(channel.role);
    const auto& sensing = sensed.of(channel.role);
    good = good && put_text(data, "unit", known ? sensing.unit : channel.unit);
    if (counted || known) {
      good = good && put_number(data, "scale", (counted ? channel.scale : 1) * sensing.per_volt) &&
             put_number(data, "offset", -sensing.zero * sensing.per_volt);
    }
    if (!good) return cannot(channel.role);
  }
  return {};
}

Result<void> HierarchyWriter::finish() {
  const auto shown = as_utf8(impl_->path);
  if (!impl_->close()) {
    std::remove(impl_->beside.c_str());
    return fail(Fault::input, "{}: it cannot be written; is the disk full?", shown);
  }
  std::error_code fault;
  std::filesystem::rename(impl_->beside, impl_->path, fault);
  if (fault) return fail(Fault::input, "{}: it cannot be written: {}.", shown, fault.message());
  return {};
}

}  // namespace heron::exchange
