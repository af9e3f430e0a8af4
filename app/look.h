#pragma once
#include <QObject>
#include <QString>
#include <nlohmann/json.hpp>
#include <optional>

namespace heron::app {

/// How the study in view is looked at: what every lens shares. No number depends on it. It is kept with the study (see
/// KeptLook); how axes were chosen last is where studies that were never looked at begin.
class Look : public QObject {
  Q_OBJECT

 public:
  enum class Against {
    nothing,     ///< curves as taken
    ratio,       ///< each over the wake
    difference,  ///< each minus the wake, as complex numbers
    spread,      ///< mean, band and sigma of all that are shown
  };

  explicit Look(QObject* parent);

  std::optional<double> cursor(char letter) const { return letter == 'A' ? a_ : b_; }
  void set_cursor(char letter, std::optional<double> frequency);  ///< Hz

  bool in_db() const { return in_db_; }
  bool unwrapped() const { return unwrapped_; }
  bool logarithmic() const { return logarithmic_; }
  bool expected() const { return expected_; }
  Against against() const { return against_; }
  void set_in_db(bool on) { set(in_db_, on); }
  void set_unwrapped(bool on) { set(unwrapped_, on); }
  void set_logarithmic(bool on) { set(logarithmic_, on); }
  void set_expected(bool on) { set(expected_, on); }
  void set_against(Against what) { set(against_, what); }

  /// The lens that somebody chose, by its tab; empty for none.
  const QString& lens() const { return lens_; }
  void set_lens(const QString& title);

  /// The figure whose place on the curve is marked; empty for none.
  const QString& figure() const { return figure_; }
  void set_figure(const QString& key);

  /// All but the figure that is marked.
  nlohmann::json kept() const;
  /// As kept() gave it; what is missing or makes no sense is as where it begins.
  /// @param keep_cursors  those that stand, where none are kept
  void take_up(const nlohmann::json& kept, bool keep_cursors);

 signals:
  void cursors_changed();
  void changed();
  void lens_changed();
  void figure_changed();

 private:
  template <class T>
  void set(T& into, T value) {
    if (into == value) return;
    into = value;
    begin_so();
    emit changed();
  }
  void begin_so() const;

  std::optional<double> a_, b_;
  bool in_db_ = true, unwrapped_ = true, logarithmic_ = true, expected_ = true;
  Against against_ = Against::nothing;
  QString lens_, figure_;
};

}  // namespace heron::app
