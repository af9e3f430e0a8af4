#include "circuits.h"
#include "studies.h"
#include "study/spectrum/doubts.h"
#include "study/spectrum/plan.h"

namespace heron::demo {
namespace spectra {
namespace {

using study::spectrum::Plan;

bench::Chain sensed(const char* name, const char* pin, double range) {
  return {.name = name, .input = {.pin = pin, .range = range, .sensor = *bench::find_stock_sensor("Direct lead")}, .zero = {}};
}

/// Through the recorder's converter at the nearest frequency of which a record holds whole cycles.
Plan converter(double frequency) {
  Plan out{.drive_pin = "ADC in", .level = 2.2, .settle_time = 20e-3, .hookup = {.chains = {sensed("code", "code", 2)}, .computed = {}}, .samples = 32768, .rate = 210e3};
  out.frequency = study::spectrum::coherent_frequency(frequency, out.rate, std::size_t(out.samples));
  return out;
}

/// How far the preamp may be driven.
Plan preamp() {
  Plan out{.drive_pin = "preamp in", .level = 20e-3, .settle_time = 60e-3, .along = study::spectrum::Along::level, .end = 0.46, .points = 9,
           .hookup = {.chains = {sensed("v_out", "preamp out", 10)}, .computed = {}}, .samples = 16384, .rate = 160e3, .records = 2};
  out.frequency = study::spectrum::coherent_frequency(1.3e3, out.rate, std::size_t(out.samples));
  return out;
}

std::vector<nlohmann::json> kept(const std::vector<Plan>& plans) {
  std::vector<nlohmann::json> out;
  for (const auto& plan : plans) out.push_back(study::spectrum::to_json(plan));
  return out;
}

Result<void> fill_all(dossier::Store& store, std::uint64_t& seed) {
  const Demo distortion = {"Preamp distortion", "spectrum",
                           kept({preamp()}),
                           {"unit 07"},
                           {},
                           {{.text = "Distortion at most 0.1 % at 100 mV", .figure = "thd.percent@100mV", .upper = "0.1 %"},
                            {.text = "Distortion and noise at most -65 dB at 20 mV", .figure = "thd_n@20mV", .upper = "-65 dB"},
                            {.text = "Gives 2 V at 100 mV", .figure = "level.out@100mV", .lower = "1.95 V", .upper = "2.05 V"}}};
  if (auto ok = take_all(store, seed, distortion, dossier::kMainAssembly); !ok) return ok;

  const auto adc = store.add_assembly("recorder ADC", std::string(circuit_text("recorder_adc")));
  if (!adc) return tl::unexpected(adc.error());
  const Demo lines = {"Recorder ADC lines", "spectrum",
                      kept({converter(1.7e3), converter(9.1e3), converter(31e3)}),
                      {"unit 07"},
                      {{"full_scale", "1.25 V"}, {"harmonics", "2..7"}},
                      {{.text = "Spurious-free range at least 70 dBc", .figure = "sfdr", .lower = "70 dBc"},
                       {.text = "Distortion at most -68 dBc", .figure = "thd", .upper = "-68 dBc"},
                       {.text = "Effective bits at least 11", .figure = "enob", .lower = "11"}}};
  return take_all(store, seed, lines, *adc);
}

std::vector<PracticeStudy> practice() { return {}; }

}  // namespace
}  // namespace spectra

const DemoStudies& spectrum_studies() {
  static const DemoStudies self = {spectra::fill_all, spectra::practice};
  return self;
}

}  // namespace heron::demo
