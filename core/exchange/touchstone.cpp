#include "exchange/touchstone.h"
#include "base/conversions.h"
#include "base/words.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <numbers>
#include <optional>

namespace heron::exchange {
namespace {

using Complex = std::complex<double>;

std::vector<std::string_view> words(std::string_view line) {
  std::vector<std::string_view> out;
  std::size_t at = 0;
  while (at < line.size()) {
    while (at < line.size() && std::isspace(static_cast<unsigned char>(line[at]))) ++at;
    const auto from = at;
    while (at < line.size() && !std::isspace(static_cast<unsigned char>(line[at]))) ++at;
    if (at > from) out.push_back(line.substr(from, at - from));
  }
  return out;
}

std::optional<double> number(std::string_view word) {
  double value = 0;
  if (!word.empty() && word.front() == '+') word.remove_prefix(1);
  const auto [end, fault] = fast_float::from_chars(word.data(), word.data() + word.size(), value);
  if (fault != std::errc() || end != word.data() + word.size() || !std::isfinite(value)) return std::nullopt;
  return value;
}

constexpr std::pair<std::string_view, double> kUnits[] = {{"hz", 1}, {"khz", 1e3}, {"mhz", 1e6}, {"ghz", 1e9}};

/// The file, line by line.
class Reader {
 public:
  Reader(std::string_view text, const std::string& file) : text_(text), file_(file) {}

  Result<NetworkData> read();

 private:
  enum class Matrix { full, lower, upper };

  template <class... Args>
  tl::unexpected<Error> error(fmt::format_string<Args...> text, Args&&... args) const {
    return fail(Fault::input, "{}:{}: {}", file_, line_, fmt::format(text, std::forward<Args>(args)...));
  }

  Result<void> take_option(const std::vector<std::string_view>& line);
  Result<void> take_keyword(std::string_view line);
  Result<void> take_numbers(const std::vector<std::string_view>& line);
  Complex pair(double a, double b) const;
  std::size_t wanted() const {
    const auto n = std::size_t(data_.ports);
    const auto pairs = n == 1 ? 1 : matrix_ == Matrix::full ? 4 : 3;
    return 1 + 2 * pairs;
  }

  std::string_view text_;
  const std::string& file_;
  int line_ = 0;
  NetworkData data_;
  PairForm form_ = PairForm::magnitude_angle;
  double unit_ = 1e9;
  double version_ = 1;
  Matrix matrix_ = Matrix::full;
  bool first_21_ = true;  ///< 21 before 12, as version 1 has two-ports
  bool option_ = false, in_data_ = false, done_ = false, ports_known_ = false, noise_ = false, in_information_ = false;
  std::optional<std::size_t> promised_;
  std::vector<double> pending_;
};

Complex Reader::pair(double a, double b) const {
  switch (form_) {
    case PairForm::real_imaginary:
      return {a, b};
    case PairForm::magnitude_angle:
      return std::polar(1.0, b / kDegrees) * a;
    case PairForm::decibel_angle:
      return std::polar(std::pow(10, a / 20), b / kDegrees);
  }
  return {};
}

Result<void> Reader::take_option(const std::vector<std::string_view>& line) {
  if (option_) return {};  // later ones are to be ignored
  option_ = true;
  for (std::size_t i = 0; i < line.size(); ++i) {
    const auto word = lower(line[i]);
    bool unit = false;
    for (const auto& [name, factor] : kUnits)
      if (word == name) {
        unit_ = factor;
        unit = true;
      }
    if (unit) continue;
    if (word == "ri")
      form_ = PairForm::real_imaginary;
    else if (word == "ma")
      form_ = PairForm::magnitude_angle;
    else if (word == "db")
      form_ = PairForm::decibel_angle;
    else if (word.size() == 1 && std::string_view("syzhg").find(word[0]) != std::string_view::npos)
      data_.kind = char(std::toupper(static_cast<unsigned char>(word[0])));
    else if (word == "r" && i + 1 < line.size() && number(line[i + 1]) && *number(line[i + 1]) > 0)
      data_.reference = *number(line[++i]);
    else
      return error("the option line has \"{}\", which is no unit, parameter, form or reference", line[i]);
  }
  return {};
}

Result<void> Reader::take_keyword(std::string_view line) {
  const auto close = line.find(']');
  if (close == std::string_view::npos) return error("a keyword lacks its closing bracket");
  const auto key = lower(line.substr(1, close - 1));
  const auto rest = words(line.substr(close + 1));
  const auto first = rest.empty() ? std::string() : lower(rest[0]);
  const auto counted = [&](int least, int most) -> std::optional<int> {
    const auto n = rest.empty() ? std::nullopt : number(rest[0]);
    return n && *n == std::floor(*n) && *n >= least && *n <= most ? std::optional(int(*n)) : std::nullopt;
  };
  if (key == "version") {
    if (first != "2.0") return error("version {} is not known; 1.1 and 2.0 are", first);
    version_ = 2;
  } else if (key == "number of ports") {
    const auto n = counted(1, 1000);
    if (!n) return error("the number of ports is missing");
    if (*n > 2) return error("{} ports; one- and two-ports can be read", *n);
    data_.ports = *n;
    ports_known_ = true;
  } else if (key == "two-port data order") {
    if (first != "12_21" && first != "21_12") return error("the data order is 12_21 or 21_12, not \"{}\"", first);
    first_21_ = first == "21_12";
  } else if (key == "number of frequencies") {
    const auto n = counted(1, 100'000'000);
    if (!n) return error("the number of frequencies is missing");
    promised_ = std::size_t(*n);
  } else if (key == "reference") {
    if (!rest.empty()) {
      const auto r = number(rest[0]);
      if (!r || !(*r > 0)) return error("the reference is not a resistance above zero");
      data_.reference = *r;
    }
  } else if (key == "matrix format") {
    if (first != "full" && first != "lower" && first != "upper")
      return error("the matrix format is Full, Lower or Upper, not \"{}\"", first);
    matrix_ = first == "full" ? Matrix::full : first == "lower" ? Matrix::lower : Matrix::upper;
  } else if (key == "network data") {
    in_data_ = true;
  } else if (key == "noise data") {
    noise_ = true;
  } else if (key == "end") {
    done_ = true;
  } else if (key == "begin information") {
    in_information_ = true;
  } else if (key == "end information") {
    in_information_ = false;
  } else if (key == "mixed-mode order") {
    return error("mixed modes cannot be read; single-ended ports can");
  } else if (key != "number of noise frequencies") {
    return error("there is no keyword [{}]", key);
  }
  return {};
}

Result<void> Reader::take_numbers(const std::vector<std::string_view>& line) {
  if (noise_) return {};
  if (version_ > 1 && !in_data_) return error("numbers before [Network Data]");
  std::vector<double> values;
  for (const auto word : line) {
    const auto v = number(word);
    if (!v) return error("\"{}\" is not a number", word.substr(0, 30));
    values.push_back(*v);
  }
  const auto last = data_.frequency.empty() ? -1 : data_.frequency.back();
  // After a two-port's parameters, rows of five whose frequency goes back are its noise.
  if (version_ < 2 && data_.ports == 2 && values.size() == 5 && pending_.empty() && values[0] * unit_ <= last) {
    noise_ = true;
    return {};
  }
  if (version_ > 1 && (values.size() < wanted() || !pending_.empty())) {
    // Version 2 may break a matrix over lines.
    pending_.insert(pending_.end(), values.begin(), values.end());
    if (pending_.size() < wanted()) return {};
    values = std::exchange(pending_, {});
  }
  if (values.size() != wanted())
    return error("{} numbers; {} are wanted for {}", values.size(), wanted(),
                 data_.ports == 1 ? "one port" : "two ports");
  const double f = values[0] * unit_;
  if (!(f >= 0)) return error("the frequency is below zero");
  if (!(f > last)) return error("the frequency does not rise");
  std::array<Complex, 4> row{};
  const auto at = [&](std::size_t k) { return pair(values[1 + 2 * k], values[2 + 2 * k]); };
  if (data_.ports == 1)
    row[0] = at(0);
  else if (matrix_ == Matrix::full)
    row = {at(0), first_21_ ? at(1) : at(2), first_21_ ? at(2) : at(1), at(3)};
  else
    row = {at(0), at(1), at(1), at(2)};
  if (!std::isfinite(f) || !std::all_of(row.begin(), row.end(), [](Complex v) {
        return std::isfinite(v.real()) && std::isfinite(v.imag());
      }))
    return error("a number is too large for what it stands for");
  // Version 1 norms Z and Y by the reference.
  if (version_ < 2 && data_.kind == 'Z')
    for (auto& z : row) z *= data_.reference;
  if (version_ < 2 && data_.kind == 'Y')
    for (auto& y : row) y /= data_.reference;
  data_.frequency.push_back(f);
  data_.elements.push_back(row);
  return {};
}

Result<NetworkData> Reader::read() {
  const auto ending = lower(file_.substr(file_.find_last_of('.') == std::string::npos ? 0 : file_.find_last_of('.')));
  if (ending.size() >= 4 && ending[1] == 's' && ending.back() == 'p') {
    const auto n = number(std::string_view(ending).substr(2, ending.size() - 3));
    if (n && *n > 2) return fail(Fault::input, "{}: a file of {} ports; one- and two-ports can be read.", file_, *n);
    if (n) {
      data_.ports = int(*n);
      ports_known_ = true;
    }
  }
  const int by_name = ports_known_ ? data_.ports : 0;
  std::size_t at = 0;
  while (at < text_.size() && !done_) {
    const auto end = std::min(text_.find('\n', at), text_.size());
    auto line = text_.substr(at, end - at);
    at = end + 1;
    ++line_;
    if (line.find('\0') != std::string_view::npos) return error("the file is not text");
    if (const auto mark = line.find('!'); mark != std::string_view::npos) {
      auto note = line.substr(mark + 1);
      while (!note.empty() && std::isspace(static_cast<unsigned char>(note.front()))) note.remove_prefix(1);
      while (!note.empty() && std::isspace(static_cast<unsigned char>(note.back()))) note.remove_suffix(1);
      if (!note.empty()) data_.notes += std::string(note) + "\n";
      line = line.substr(0, mark);
    }
    const auto parts = words(line);
    if (parts.empty()) continue;
    Result<void> ok;
    if (parts[0].front() == '[')
      ok = take_keyword(line.substr(line.find('[')));
    else if (in_information_)
      continue;
    else if (parts[0].front() == '#')
      ok = take_option(words(line.substr(line.find('#') + 1)));
    else
      ok = take_numbers(parts);
    if (!ok) return tl::unexpected(ok.error());
  }
  if (!ports_known_)
    return fail(Fault::input, "{}: neither its name (.s1p, .s2p) nor a keyword says its ports.", file_);
  if (version_ > 1 && by_name > 0 && by_name != data_.ports)
    return fail(Fault::input, "{}: the name says {} ports, the file {}.", file_, by_name, data_.ports);
  if (!pending_.empty()) return error("the file ends within a matrix");
  if (data_.frequency.empty()) return fail(Fault::input, "{}: there are no data.", file_);
  if (promised_ && data_.frequency.size() != *promised_)
    return error("{} frequencies were promised, {} are there; is the file cut short?", *promised_,
                 data_.frequency.size());
  return std::move(data_);
}

std::string pair_text(Complex v, PairForm form) {
  switch (form) {
    case PairForm::real_imaginary:
      return fmt::format("{:.17g} {:.17g}", v.real(), v.imag());
    case PairForm::magnitude_angle:
      return fmt::format("{:.17g} {:.17g}", std::abs(v), std::arg(v) * kDegrees);
    case PairForm::decibel_angle:
      return fmt::format("{:.17g} {:.17g}", 20 * std::log10(std::max(std::abs(v), 1e-30)), std::arg(v) * kDegrees);
  }
  return "";
}

}  // namespace

Result<NetworkData> read_touchstone(std::string_view text, const std::string& file) {
  return Reader(text, file).read();
}

std::string write_touchstone(const NetworkData& data, const TouchstoneForm& form) {
  std::string out;
  std::string_view notes = data.notes;
  while (!notes.empty()) {
    const auto end = std::min(notes.find('\n'), notes.size());
    out += fmt::format("! {}\n", notes.substr(0, end));
    notes.remove_prefix(std::min(end + 1, notes.size()));
  }
  const char* pairs = form.pairs == PairForm::real_imaginary    ? "RI"
                      : form.pairs == PairForm::magnitude_angle ? "MA"
                                                                : "DB";
  double unit = 1;
  for (const auto& [name, factor] : kUnits)
    if (name == lower(form.unit)) unit = factor;
  if (form.version >= 2) out += "[Version] 2.0\n";
  out += fmt::format("# {} {} {} R {:.17g}\n", form.unit, data.kind, pairs, data.reference);
  if (form.version >= 2) {
    out += fmt::format("[Number of Ports] {}\n", data.ports);
    if (data.ports == 2) out += "[Two-Port Data Order] 12_21\n";
    out += fmt::format("[Number of Frequencies] {}\n[Network Data]\n", data.frequency.size());
  }
  for (std::size_t i = 0; i < data.frequency.size(); ++i) {
    auto row = data.elements[i];
    if (form.version < 2 && data.kind == 'Z')
      for (auto& z : row) z /= data.reference;
    if (form.version < 2 && data.kind == 'Y')
      for (auto& y : row) y *= data.reference;
    out += fmt::format("{:.17g} {}", data.frequency[i] / unit, pair_text(row[0], form.pairs));
    if (data.ports == 2) {
      if (form.version >= 2) std::swap(row[1], row[2]);
      for (std::size_t k = 1; k < 4; ++k) out += " " + pair_text(row[k], form.pairs);
    }
    out += "\n";
  }
  if (form.version >= 2) out += "[End]\n";
  return out;
}

std::string usual_element(const NetworkData& data) {
  return std::string(1, data.kind) + (data.ports == 2 ? "21" : "11");
}

Result<study::Record> network_element(const NetworkData& data, const std::string& element) {
  const auto wanted =
      std::string(1, char(std::toupper(element.empty() ? 'S' : static_cast<unsigned char>(element[0]))));
  const std::string place = element.size() == 3 ? element.substr(1) : "";
  const std::string_view places[] = {"11", "21", "12", "22"};
  const auto at = std::find(std::begin(places), std::end(places), place) - std::begin(places);
  const bool made = data.ports == 1 && data.kind == 'S' && (wanted == "Z" || wanted == "Y");
  if (at == 4 || (data.ports == 1 && at != 0) || (wanted[0] != data.kind && !made))
    return fail(Fault::usage, "parameter: the file holds {0}11{1}, not \"{2}\".", data.kind,
                data.ports == 2 ? fmt::format(", {0}21, {0}12 and {0}22", data.kind) : "", element);
  study::Record out;
  out.channels = {{.role = "frequency", .unit = "Hz"}, {.role = "real"}, {.role = "imag"}};
  for (std::size_t i = 0; i < data.frequency.size(); ++i) {
    auto v = data.elements[i][std::size_t(at)];
    if (made) {
      if (std::abs(1.0 - v) == 0 || std::abs(1.0 + v) == 0) continue;
      v = wanted == "Z" ? data.reference * (1.0 + v) / (1.0 - v) : (1.0 - v) / (1.0 + v) / data.reference;
    }
    // A point at rest has no place on a logarithmic axis.
    if (!(data.frequency[i] > 0)) continue;
    out.channels[0].numbers.push_back(data.frequency[i]);
    out.channels[1].numbers.push_back(v.real());
    out.channels[2].numbers.push_back(v.imag());
  }
  return out;
}

}  // namespace heron::exchange
