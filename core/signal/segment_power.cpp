#include "signal/segment_power.h"

#include <algorithm>
#include <cassert>
#include <complex>

#include "signal/also_wide.h"
#include "signal/fftw.h"

namespace heron::signal {
namespace {

HERON_ALSO_WIDE void weigh_into(const double* __restrict from, const double* __restrict weights, std::size_t n, double* __restrict to) {
  for (std::size_t k = 0; k < n; ++k) to[k] = weights[k] * from[k];
}

HERON_ALSO_WIDE void add_powers(const double* __restrict lines, double scale, std::size_t count, double* __restrict into) {
  for (std::size_t k = 0; k < count; ++k) into[k] += scale * (lines[2 * k] * lines[2 * k] + lines[2 * k + 1] * lines[2 * k + 1]);
}

}  // namespace

struct SegmentPower::Work {
  std::size_t n;
  std::vector<double> weights;
  FftwArray<double> in;
  FftwArray<std::complex<double>> out;
  FftwPlan plan;
  double scale = 0;
  std::vector<double> own;  ///< lines of the window itself, of its first: only they see what stands still

  Work(Window window, std::size_t samples)
      : n(samples),
        weights(window_weights(window, samples)),
        in(samples),
        out(samples / 2 + 1),
        plan([this] { return fftw_plan_dft_r2c_1d(int(n), in.data(), out.raw(), FFTW_ESTIMATE | FFTW_PRESERVE_INPUT); }) {
    double sum = 0;
    for (const double w : weights) sum += w;
    // A tone of peak A stands in its line as A/2 times the sum of the weights; its mean square is half of A squared.
    scale = 2 / (sum * sum);
    const auto cosines = window_cosines(window);
    for (std::size_t k = 0; k < std::min(cosines.size(), n / 2 + 1); ++k) own.push_back((k == 0 ? 1 : 0.5) * cosines[k] / cosines[0]);
  }
};

SegmentPower::SegmentPower(Window window, std::size_t samples) : work_(std::make_unique<Work>(window, samples)) {}
SegmentPower::~SegmentPower() = default;
SegmentPower::SegmentPower(SegmentPower&&) noexcept = default;

std::size_t SegmentPower::lines() const { return work_->n / 2 + 1; }

void SegmentPower::add(std::span<const double> values, std::span<double> into) {
  assert(values.size() == work_->n && into.size() == lines());
  weigh_into(values.data(), work_->weights.data(), work_->n, work_->in.data());
  work_->plan.execute();
  // What stands still comes off here, which spares a pass over the stretch.
  const auto still = work_->out[0];
  for (std::size_t k = 0; k < work_->own.size(); ++k) work_->out[k] -= still * work_->own[k];
  add_powers(reinterpret_cast<const double*>(work_->out.data()), work_->scale, lines(), into.data());
}

}  // namespace heron::signal
