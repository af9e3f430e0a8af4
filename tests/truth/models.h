/// Closed forms and a small nodal solver for the truth of experiments. Independent of everything under test.
#pragma once
#include <cmath>
#include <complex>
#include <functional>
#include <map>
#include <numbers>
#include <string>
#include <vector>

namespace heron::truth {

using Complex = std::complex<double>;
using Answer = std::function<Complex(double)>;  ///< H(f)
inline constexpr double kPi = std::numbers::pi;

inline double db_of(const Answer& h, double f) { return 20 * std::log10(std::abs(h(f))); }

/// Where a function of lg f that changes its sign between two frequencies is zero.
inline double root(const std::function<double(double)>& of, double low, double high) {
  double a = std::log(low), b = std::log(high);
  const bool rising = of(high) > of(low);
  for (int k = 0; k < 200; ++k) {
    const double middle = (a + b) / 2;
    ((of(std::exp(middle)) > 0) == rising ? b : a) = middle;
  }
  return std::exp((a + b) / 2);
}

/// Where |H| is highest (sign 1) or lowest (-1) between two frequencies that hold one such place.
inline double extreme(const Answer& h, double low, double high, double sign) {
  double a = std::log(low), b = std::log(high);
  const double golden = (std::sqrt(5.0) - 1) / 2;
  for (int k = 0; k < 120; ++k) {
    const double c = b - golden * (b - a), d = a + golden * (b - a);
    if (sign * db_of(h, std::exp(c)) > sign * db_of(h, std::exp(d)))
      b = d;
    else
      a = c;
  }
  return std::exp((a + b) / 2);
}

inline const double kHalfPower = 10 * std::log10(2.0);

/// A network of admittances between numbered nodes (0 is ground) with one ideal source; solved by elimination.
class Net {
 public:
  explicit Net(int nodes) : n_(nodes) {}
  void resistor(int a, int b, double ohms) {
    add(a, b, [=](double) { return Complex(1 / ohms); });
  }
  void capacitor(int a, int b, double farads, double ohms = 0) {
    add(a, b, [=](double f) { return 1.0 / (1.0 / Complex(0, 2 * kPi * f * farads) + ohms); });
  }
  void inductor(int a, int b, double henries, double ohms = 0) {
    add(a, b, [=](double f) { return 1.0 / Complex(ohms, 2 * kPi * f * henries); });
  }
  /// Current `siemens` times the voltage of node `control` flows out of ground into node `into`.
  void transfer(int into, int control, double siemens) { transfers_.push_back({into, control, siemens}); }

  /// Node voltages with 1 V behind `ohms` at node `in`.
  std::vector<Complex> solve(double f, int in, double ohms) const {
    const auto n = std::size_t(n_);
    std::vector<std::vector<Complex>> m(n, std::vector<Complex>(n + 1));
    const auto at = [&](int row, int column) -> Complex& { return m[std::size_t(row - 1)][std::size_t(column - 1)]; };
    const auto stamp = [&](int a, int b, Complex y) {
      if (a) at(a, a) += y;
      if (b) at(b, b) += y;
      if (a && b) {
        at(a, b) -= y;
        at(b, a) -= y;
      }
    };
    for (const auto& e : elements_) stamp(e.a, e.b, e.admittance(f));
    for (const auto& t : transfers_) at(t.into, t.control) -= t.siemens;
    stamp(in, 0, 1 / ohms);
    m[std::size_t(in - 1)][n] += 1 / ohms;
    for (std::size_t k = 0; k < n; ++k) {
      std::size_t pivot = k;
      for (std::size_t r = k; r < n; ++r)
        if (std::abs(m[r][k]) > std::abs(m[pivot][k])) pivot = r;
      std::swap(m[k], m[pivot]);
      for (std::size_t r = 0; r < n; ++r) {
        if (r == k) continue;
        const Complex by = m[r][k] / m[k][k];
        for (std::size_t c = k; c <= n; ++c) m[r][c] -= by * m[k][c];
      }
    }
    std::vector<Complex> out(n + 1);
    for (std::size_t k = 0; k < n; ++k) out[k + 1] = m[k][n] / m[k][k];
    return out;
  }

 private:
  struct Element {
    int a, b;
    std::function<Complex(double)> admittance;
  };
  struct Transfer {
    int into, control;
    double siemens;
  };
  void add(int a, int b, std::function<Complex(double)> y) { elements_.push_back({a, b, std::move(y)}); }
  int n_;
  std::vector<Element> elements_;
  std::vector<Transfer> transfers_;
};

/// Voltage of a junction with a series resistance at a current: V = n Vt ln(1 + I/Is) + I Rs.
inline double junction_voltage(double i, double n, double is, double rs, double vt) {
  return n * vt * std::log1p(i / is) + i * rs;
}

/// x where a rising function passes a value.
inline double where(const std::function<double(double)>& of, double value, double low, double high) {
  for (int k = 0; k < 200; ++k) {
    const double middle = (low + high) / 2;
    (of(middle) < value ? low : high) = middle;
  }
  return (low + high) / 2;
}

/// Least-squares line, by hand.
inline std::pair<double, double> line(const std::vector<double>& x, const std::vector<double>& y) {
  double sx = 0, sy = 0, sxx = 0, sxy = 0;
  const double n = double(x.size());
  for (std::size_t k = 0; k < x.size(); ++k) {
    sx += x[k];
    sy += y[k];
    sxx += x[k] * x[k];
    sxy += x[k] * y[k];
  }
  const double slope = (n * sxy - sx * sy) / (n * sxx - sx * sx);
  return {slope, (sy - slope * sx) / n};
}

}  // namespace heron::truth
