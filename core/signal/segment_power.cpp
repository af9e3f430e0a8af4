#include "signal/segment_power.h"

#include <cassert>
#include <complex>

#include "signal/fftw.h"
#include "signal/windowed_power.h"

namespace heron::signal {

/// Lines, with room for those beside both ends.
struct SegmentPower::Work {
  static constexpr std::size_t kBeside = 4;

  std::size_t n;
  std::vector<double> cosines;
  FftwArray<double> in;
  FftwArray<std::complex<double>> held;
  FftwPlan plan;
  double scale = 0;

  std::complex<double>* lines() const { return held.data() + kBeside; }

  Work(Window window, std::size_t length)
      : n(length),
        cosines(window_cosines(window)),
        in(length),
        held(length / 2 + 1 + 2 * kBeside),
        plan([this] { return fftw_plan_dft_r2c_1d(int(n), in.data(), reinterpret_cast<fftw_complex*>(lines()), FFTW_ESTIMATE); }) {
    assert(cosines.size() <= kBeside + 1 && n / 2 > kBeside);
    // A tone of peak A stands in its line as A/2 times the sum of the weights; its mean square is half of A squared.
    const double sum = double(n) * cosines[0];
    scale = 2 / (sum * sum);
  }
};

SegmentPower::SegmentPower(Window window, std::size_t samples) : work_(std::make_unique<Work>(window, samples)) {}
SegmentPower::~SegmentPower() = default;
SegmentPower::SegmentPower(SegmentPower&&) noexcept = default;

std::size_t SegmentPower::lines() const { return work_->n / 2 + 1; }

std::span<double> SegmentPower::room() { return {work_->in.data(), work_->n}; }

void SegmentPower::add(std::span<double> into) {
  assert(into.size() == lines());
  work_->plan.execute();
  auto* const x = work_->lines();
  const auto last = work_->n / 2;
  // What stands still comes off here, which spares a pass over the stretch.
  x[0] = 0;
  for (std::size_t j = 1; j <= Work::kBeside; ++j) {
    *(x - j) = std::conj(x[j]);
    x[last + j] = std::conj(x[last - j]);
  }
  add_windowed_power(x, work_->cosines, lines(), work_->scale, into.data());
}

}  // namespace heron::signal
