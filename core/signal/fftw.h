#pragma once
#include <fftw3.h>

#include <complex>
#include <map>
#include <mutex>
#include <span>
#include <utility>
#include <vector>

/// What of FFTW is used here. Plans are estimated, never measured, so that the same data give the same bits on every
/// run.
namespace heron::signal {

/// FFTW's planner is the one part of it that threads must not share.
std::mutex& fftw_planner();

/// An aligned array for FFTW's transforms.
template <class T>
class FftwArray {
 public:
  explicit FftwArray(std::size_t n) : data_(static_cast<T*>(fftw_malloc(n * sizeof(T)))), size_(n) {}
  ~FftwArray() { fftw_free(data_); }
  FftwArray(FftwArray&& other) noexcept
      : data_(std::exchange(other.data_, nullptr)), size_(std::exchange(other.size_, 0)) {}
  FftwArray& operator=(FftwArray&&) = delete;

  T* data() const { return data_; }
  std::size_t size() const { return size_; }
  T& operator[](std::size_t k) const { return data_[k]; }
  fftw_complex* raw() const { return reinterpret_cast<fftw_complex*>(data_); }

 private:
  T* data_;
  std::size_t size_;
};

/// Owns a plan.
class FftwPlan {
 public:
  template <class Make>
  explicit FftwPlan(Make make) {
    const std::lock_guard lock(fftw_planner());
    plan_ = make();
  }
  ~FftwPlan() {
    const std::lock_guard lock(fftw_planner());
    if (plan_) fftw_destroy_plan(plan_);
  }
  FftwPlan(FftwPlan&& other) noexcept : plan_(std::exchange(other.plan_, nullptr)) {}
  FftwPlan& operator=(FftwPlan&&) = delete;

  void execute() const { fftw_execute(plan_); }
  /// A real-to-complex plan on other arrays of the same size and alignment.
  void execute_into(double* in, fftw_complex* out) const { fftw_execute_dft_r2c(plan_, in, out); }
  /// A complex-to-real plan, likewise.
  void execute_into(fftw_complex* in, double* out) const { fftw_execute_dft_c2r(plan_, in, out); }

 private:
  fftw_plan plan_ = nullptr;
};

/// Plans of one kind, one a length, kept: records and stretches of one length come again and again.
class FftwPlans {
 public:
  using Make = fftw_plan (*)(int n, double* real, fftw_complex* lines);
  explicit FftwPlans(Make make) : make_(make) {}
  /// @param n  even
  const FftwPlan& of(std::size_t n);

 private:
  Make make_;
  std::mutex mutex_;
  std::map<std::size_t, FftwPlan> kept_;
};

/// The real series whose one-sided spectrum (n/2 + 1 lines) this is; unnormalised, as FFTW gives it. n even.
std::vector<double> real_series(std::span<const std::complex<double>> spectrum);

}  // namespace heron::signal
