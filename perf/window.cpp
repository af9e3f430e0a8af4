#include <benchmark/benchmark.h>
#include <qcustomplot.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QWindow>
#include <cmath>
#include <random>

#include "app/main_window.h"
#include "perf/dossiers.h"
#include "app/kinds/response/bode_plot.h"
#include "app/lenses/record_plot.h"
#include "app/kinds/iv/family_plot.h"
#include "app/kinds/spectrum/spectrum_plot.h"
#include "study/spectrum/reduced.h"
#include "render/plot_parts.h"
#include "render/theme.h"

using namespace heron;

namespace {

/// Time from before the application object to the first paint of a window, in a process of its own.
class FirstPaint : public QObject {
 public:
  bool painted = false;

 protected:
  bool eventFilter(QObject*, QEvent* event) override {
    painted = painted || event->type() == QEvent::Paint;
    return false;
  }
};

/// The child's whole life up to the first paint; its exit tells that it painted.
double seconds_to_first_paint(char** argv, const char* what, const std::string& dossier) {
  QElapsedTimer timer;
  timer.start();
  const pid_t child = fork();
  if (child == 0) {
    execl("/proc/self/exe", argv[0], what, dossier.c_str(), nullptr);
    _exit(127);
  }
  int status = 0;
  waitpid(child, &status, 0);
  return status == 0 ? double(timer.nsecsElapsed()) * 1e-9 : std::nan("");
}

template <class Window>
int paint_once(Window& window, QApplication& app) {
  FirstPaint watch;
  window.installEventFilter(&watch);
  window.show();
  while (!watch.painted) app.processEvents(QEventLoop::WaitForMoreEvents, 10);
  _exit(0);
}

char** arguments = nullptr;
std::string dossier_path;

void first_paint_of_an_empty_window(benchmark::State& state) {
  for (auto _ : state) state.SetIterationTime(seconds_to_first_paint(arguments, "--empty", ""));
}
void first_paint_on_the_demo(benchmark::State& state) {
  for (auto _ : state) state.SetIterationTime(seconds_to_first_paint(arguments, "--demo", dossier_path));
}

/// Opening a dossier in a window that is there, up to its first paint with the newest take drawn.
void open_in_the_window(benchmark::State& state) {
  const auto path = QString::fromStdString(perf::dossier_with(int(state.range(0))));
  app::MainWindow window;
  window.show();
  for (auto _ : state) {
    window.open(path);
    FirstPaint watch;
    window.findChild<app::FigureRow*>()->installEventFilter(&watch);
    while (!watch.painted || !window.desk().readings.view(*window.desk().focus.shown()))
      QApplication::processEvents(QEventLoop::WaitForMoreEvents, 10);
    window.findChild<app::FigureRow*>()->removeEventFilter(&watch);
  }
}

/// One frame of a pan over fifty takes of a thousand points, gain and phase.
void frame_of_fifty_takes(benchmark::State& state) {
  app::BodePlot plot;
  plot.resize(960, 440);
  std::vector<study::response::Curve> takes(50);
  QList<app::BodeCurve> curves;
  for (int t = 0; t < 50; ++t) {
    for (int k = 0; k < 1000; ++k) {
      const double f = 10 * std::pow(1e4, k / 999.0), x = f / (1e3 + 20 * t);
      takes[std::size_t(t)].points.push_back({.index = k,
                                              .frequency = f,
                                              .gain_db = -10 * std::log10(1 + x * x) + 0.05 * std::sin(k * 1.7 + t),
                                              .phase_deg = -57.3 * std::atan(x)});
    }
    curves << app::BodeCurve{&takes[std::size_t(t)], render::take_colour(t + 1), render::take_dashed(t + 1)};
  }
  plot.show_curves(curves, {});
  double shift = 1;
  for (auto _ : state) {
    shift = shift > 3 ? 1 : shift * 1.01;
    plot.gain_rect()->axis(QCPAxis::atBottom)->setRange(10 * shift, 1e5 * shift);
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

/// A hundred curves of a thousand points each as a family.
study::iv::Family large_family() {
  study::iv::Family family;
  family.step_unit = "A";
  for (int c = 0; c < 100; ++c) {
    study::iv::Curve curve{.step = 1e-4 * c, .points = {}};
    for (int k = 0; k < 1000; ++k) {
      const double v = 5 * k / 999.0;
      curve.points.push_back({.index = k,
                              .voltage = v,
                              .current = 1e-3 * c * std::tanh(3 * v) * (1 + v / 40) + 1e-6 * std::sin(k * 1.7 + c),
                              .programmed = {}});
    }
    family.curves.push_back(std::move(curve));
  }
  return family;
}

/// One frame of a pan over them.
void frame_of_a_hundred_curves(benchmark::State& state) {
  const auto family = large_family();
  app::FamilyPlot plot;
  plot.resize(960, 440);
  plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
  double shift = 0;
  for (auto _ : state) {
    shift = shift > 1 ? 0 : shift + 0.01;
    plot.xAxis->setRange(shift, 5 + shift);
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

/// A redraw from the data, as a take that grows asks for.
void redraw_of_a_hundred_curves(benchmark::State& state) {
  const auto family = large_family();
  app::FamilyPlot plot;
  plot.resize(960, 440);
  for (auto _ : state) {
    plot.show_picture({.takes = {{&family, render::take_colour(1)}}});
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

/// One frame of a pan over a curve of a million points.
void frame_of_a_million_points(benchmark::State& state) {
  QCustomPlot plot;
  plot.resize(1200, 500);
  render::LongGraph graph(plot.xAxis, plot.yAxis);
  std::vector<double> x(1'000'000), y(x.size());
  for (std::size_t i = 0; i < x.size(); ++i) {
    x[i] = double(i);
    y[i] = std::sin(double(i) * 1e-4) + 0.1 * std::sin(double(i * i % 1009));
  }
  graph.set_data(std::move(x), std::move(y));
  plot.yAxis->setRange(-1.2, 1.2);
  double from = 0;
  for (auto _ : state) {
    from = from > 4e5 ? 0 : from + 1700;
    plot.xAxis->setRange(from, from + 5.5e5);
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

/// One frame of a pan, and one of a zoom, over records of 16 Mi samples.
void frame_of_long_records(benchmark::State& state) {
  static const auto counts = [] {
    std::vector<std::int16_t> out(1 << 24);
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = std::int16_t(6000 * std::sin(double(k) * 1e-5) + double(k * k % 1009));
    return out;
  }();
  std::vector<app::RecordCurve> curves;
  const char* names[] = {"v_in", "v_out", "v_gate", "v_cap"};
  for (int k = 0; k < int(state.range(0)); ++k) {
    study::Channel channel{.role = names[k], .unit = "V", .scale = 1e-4, .range = 2, .lowest_count = -8192, .highest_count = 8191};
    channel.counts = counts;
    curves.push_back({.trace = study::trace_of(channel, "V", study::TimeBase(0, 1e-6), 0, 1), .colour = render::take_colour(k)});
  }
  app::RecordPlot plot;
  plot.resize(960, 440);
  plot.show_record(curves, app::Panels::each, {});
  double share = 0;
  for (auto _ : state) {
    share = share > 0.9 ? 0 : share + 0.013;
    const double wide = 16 * std::pow(10, -5 * share);
    plot.set_span({0.5 * share, 0.5 * share + wide});
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

/// One frame of a pan over a week of readings every tenth of a second: lowest, highest and mean.
void frame_of_a_week_of_readings(benchmark::State& state) {
  constexpr std::size_t kReadings = 6'000'000;
  QCustomPlot plot;
  plot.resize(960, 400);
  std::vector<double> time(kReadings), values(kReadings);
  for (std::size_t k = 0; k < kReadings; ++k) time[k] = double(k) / 36000;
  std::vector<std::unique_ptr<render::LongGraph>> graphs;
  for (int which = 0; which < 3; ++which) {
    for (std::size_t k = 0; k < kReadings; ++k) values[k] = 5 + 0.1 * which + 0.05 * std::sin(double(k) * 1e-5) + 0.01 * double(k * k % 101) / 101;
    graphs.push_back(std::make_unique<render::LongGraph>(plot.xAxis, plot.yAxis));
    graphs.back()->set_data(time, values);
  }
  plot.yAxis->setRange(4.9, 5.4);
  double share = 0;
  for (auto _ : state) {
    share = share > 0.9 ? 0 : share + 0.013;
    const double wide = time.back() * std::pow(10, -3 * share);
    plot.xAxis->setRange(0.5 * share * time.back(), 0.5 * share * time.back() + wide);
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

/// One more record of 2^16 samples to those that are averaged, read anew and drawn: what a live spectrum does a frame.
void frame_of_a_live_spectrum(benchmark::State& state) {
  constexpr std::size_t n = 1 << 16;
  std::mt19937 random(1);
  std::normal_distribution<double> noise(0, 10);
  std::vector<study::Record> records;
  for (int pass = 0; pass < 100; ++pass) {
    study::Channel channel{.role = "v", .unit = "V", .scale = 1e-4, .range = 2, .lowest_count = -16384, .highest_count = 16383};
    for (std::size_t k = 0; k < n; ++k)
      channel.counts.push_back(std::int16_t(std::lround(9000 * std::cos(2 * M_PI * 4001 * double(k) / n) + 9 * std::cos(2 * M_PI * 8002 * double(k) / n) + noise(random))));
    records.push_back({.pass = pass, .sample_rate = 1e6, .channels = {std::move(channel)}});
  }
  study::Point point{.index = 0, .setting = nlohmann::json::object()};
  auto reducer = *study::spectrum::reducer({});
  app::SpectrumPlot plot;
  plot.resize(960, 440);
  for (auto _ : state) {
    state.PauseTiming();
    point.records.push_back(records[point.records.size() % records.size()]);
    state.ResumeTiming();
    if (!reducer->add(point)) return state.SkipWithError("the record is not read");
    const auto reduced = *reducer->so_far();
    const auto spectra = dynamic_cast<const study::spectrum::ReducedSpectra&>(*reduced).spectra({});
    if (!spectra) return state.SkipWithError("the spectrum is not read");
    app::SpectrumCurve curve;
    curve.of = spectra->back();
    curve.colour = render::take_colour(1);
    curve.tagged = true;
    std::vector<app::SpectrumCurve> curves;
    curves.push_back(std::move(curve));
    plot.show_spectra(std::move(curves), {});
    plot.replot(QCustomPlot::rpImmediateRefresh);
  }
}

}  // namespace

int main(int argc, char** argv) {
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication app(argc, argv);
  const std::string mode = argc > 1 ? argv[1] : "";
  if (mode == "--empty") {
    QWidget window;
    window.resize(1280, 800);
    return paint_once(window, app);
  }
  if (mode == "--demo") {
    app::apply_style();
    app::MainWindow window;
    window.open(argv[2]);
    return paint_once(window, app);
  }
  arguments = argv;
  app::apply_style();
  dossier_path = perf::demo_path();
  benchmark::RegisterBenchmark("first_paint_of_an_empty_window", first_paint_of_an_empty_window)
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond)
      ->Iterations(15);
  benchmark::RegisterBenchmark("first_paint_on_the_demo", first_paint_on_the_demo)
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond)
      ->Iterations(15);
  benchmark::RegisterBenchmark("frame_of_long_records", frame_of_long_records)->Arg(1)->Arg(4)->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("frame_of_fifty_takes", frame_of_fifty_takes)->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("frame_of_a_hundred_curves", frame_of_a_hundred_curves)->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("redraw_of_a_hundred_curves", redraw_of_a_hundred_curves)->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("frame_of_a_million_points", frame_of_a_million_points)->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("frame_of_a_live_spectrum", frame_of_a_live_spectrum)->Unit(benchmark::kMillisecond)->Iterations(90);
  benchmark::RegisterBenchmark("frame_of_a_week_of_readings", frame_of_a_week_of_readings)->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("open_in_the_window", open_in_the_window)
      ->Arg(10)
      ->Arg(1000)
      ->Unit(benchmark::kMillisecond);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  return 0;
}
