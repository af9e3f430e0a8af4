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

bench::Chain codes() {
  return {.name = "codes", .input = {.pin = "codes", .range = {}, .sensor = *bench::find_stock_sensor("Code reader")}, .zero = {}};
}

/// The recorder's converter nearly full, at the nearest frequency of which a record holds whole cycles.
Plan converter(double frequency) {
  Plan out{.drive_pin = "ADC in", .level = 1.6, .wanted = -0.5, .settle_time = 20e-3, .hookup = {.chains = {codes()}, .computed = {}}, .samples = 32768, .rate = 210e3};
  out.frequency = study::spectrum::coherent_frequency(frequency, out.rate, std::size_t(out.samples));
  return out;
}

/// Every code of it often enough to tell how wide it is: a little beyond full scale.
Plan every_code() {
  Plan out{.drive_pin = "ADC in", .level = 2.56, .settle_time = 20e-3, .hookup = {.chains = {codes()}, .computed = {}}, .samples = 1 << 19, .rate = 210e3};
  out.frequency = study::spectrum::coherent_frequency(997, out.rate, std::size_t(out.samples));
  return out;
}

/// How far the preamp may be driven near the top of its band, where its output stays within what it bears while its stage
/// comes to its rails.
Plan preamp() {
  Plan out{.drive_pin = "preamp in", .level = 50e-3, .settle_time = 1.5e-3, .along = study::spectrum::Along::level, .end = 0.62, .points = 13,
           .hookup = {.chains = {sensed("v_out", "preamp out", 5)}, .computed = {}}, .samples = 2048, .rate = 800e3};
  out.frequency = study::spectrum::coherent_frequency(17e3, out.rate, std::size_t(out.samples));
  return out;
}

/// What a rail carries besides its voltage, with nothing driven but the battery's voltage.
Plan ripple() {
  Plan out{.drive = study::spectrum::Drive::nothing, .settle_time = 0.2e-3, .feed_pin = "battery", .feed_voltage = 12, .feed_limit = 3, .feed_time = 2.5e-3,
           .hookup = {.chains = {sensed("v_rail", "rail", 10)}, .computed = {}}, .samples = 8192, .rate = 10e6};
  return out;
}

/// What the sounder is given, by its own oscillator.
Plan sounder() {
  Plan out{.drive = study::spectrum::Drive::nothing, .hookup = {.chains = {sensed("v_sounder", "sounder", 20)}, .computed = {}}, .samples = 16384, .rate = 200e3};
  out.settle_time = 60e-3;
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
                            {.text = "Distortion at most 0.1 % at 180 mV", .figure = "thd.percent@180mV", .upper = "0.1 %"},
                            {.text = "Distortion and noise at most -60 dB at 20 mV", .figure = "thd_n@20mV", .upper = "-60 dB"},
                            {.text = "Gives 1.57 V at 100 mV", .figure = "level.out@100mV", .lower = "1.5 V", .upper = "1.65 V"},
                            {.text = "1 dB of compression not below 200 mV", .figure = "compression.1dB.input", .lower = "200 mV"}}};
  if (auto ok = take_all(store, seed, distortion, dossier::kMainAssembly); !ok) return ok;

  const auto adc = store.add_assembly("recorder ADC", std::string(circuit_text("recorder_adc")));
  if (!adc) return tl::unexpected(adc.error());
  const Demo lines = {"Recorder ADC lines", "spectrum",
                      kept({converter(1.7e3), converter(9.1e3), converter(31e3)}),
                      {"unit 07"},
                      {{"harmonics", "2..7"}},
                      {{.text = "Signal to noise at least 69.5 dB", .figure = "snr", .lower = "69.5 dB"},
                       {.text = "Spurious-free range at least 70 dBc", .figure = "sfdr", .lower = "70 dBc"},
                       {.text = "Distortion at most -68 dBc", .figure = "thd", .upper = "-68 dBc"},
                       {.text = "Effective bits at least 11", .figure = "enob", .lower = "11"}}};
  if (auto ok = take_all(store, seed, lines, *adc); !ok) return ok;
  const Demo widths = {"Recorder ADC codes", "spectrum",
                       kept({every_code()}),
                       {"unit 07"},
                       {},
                       {{.text = "No code is missing", .figure = "codes.missing", .upper = "0"},
                        {.text = "Codes are even to 0.5 LSB", .figure = "dnl.max", .upper = "0.5 LSB"},
                        {.text = "Transitions within 1 LSB", .figure = "inl.max", .upper = "1 LSB"}}};
  if (auto ok = take_all(store, seed, widths, *adc); !ok) return ok;

  const auto converter = store.add_assembly("battery converter", std::string(circuit_text("battery_ripple")));
  if (!converter) return tl::unexpected(converter.error());
  const Demo rail = {"Battery converter ripple", "spectrum",
                     kept({ripple()}),
                     {"unit 07"},
                     {{"harmonics", "2..8"}},
                     {{.text = "Switches at 400 kHz", .figure = "fundamental.frequency", .expected = "400 kHz", .tolerance = "2 %"},
                      {.text = "Ripple line at most 2 mV rms", .figure = "fundamental.level", .upper = "-54 dBV"},
                      {.text = "Noise to 100 kHz at most 200 uV", .figure = "noise.rms(5kHz,100kHz)", .upper = "200 uV"}}};
  if (auto ok = take_all(store, seed, rail, *converter); !ok) return ok;

  const auto horn = store.add_assembly("fog-signal sounder", std::string(circuit_text("fog_sounder")));
  if (!horn) return tl::unexpected(horn.error());
  const Demo drive = {"Fog-signal drive", "spectrum",
                      kept({sounder()}),
                      {"unit 07"},
                      {},
                      {{.text = "Sounds at 2.85 kHz", .figure = "fundamental.frequency", .expected = "2.85 kHz", .tolerance = "1 %"},
                       {.text = "Level at least 11 dBV", .figure = "fundamental.level", .lower = "11 dBV"},
                       {.text = "Nothing else above -20 dBc", .figure = "sfdr", .lower = "20 dBc"}}};
  return take_all(store, seed, drive, *horn);
}

/// Set-ups that are wrong on purpose: a tone whose record has no whole cycles and no window, a converter beyond its full scale, a
/// level of full scale where nobody says what that is.
std::vector<PracticeStudy> practice() {
  auto between = converter(1.7e3);
  between.frequency += 0.4 * between.line();
  auto beyond = converter(1.7e3);
  beyond.wanted.reset();
  beyond.level = 4;
  auto unknown = preamp();
  unknown.along = study::spectrum::Along::nothing;
  unknown.wanted = -1;
  const auto one = [](const char* name, const Plan& plan, std::string_view circuit, study::SettingsText settings = {}) {
    return PracticeStudy{.study = {.name = name, .kind = "spectrum", .plan = study::spectrum::to_json(plan), .settings = std::move(settings)}, .wrong = true, .circuit = circuit};
  };
  return {one("Tone between lines", between, "recorder_adc", {{"window", "rectangular"}}), one("Converter beyond full scale", beyond, "recorder_adc"),
          one("Full scale nobody knows", unknown, {})};
}

}  // namespace
}  // namespace spectra

const DemoStudies& spectrum_studies() {
  static const DemoStudies self = {spectra::fill_all, spectra::practice};
  return self;
}

}  // namespace heron::demo
