#pragma once
#include <QObject>
#include <QString>
#include <optional>

namespace heron::app {

/// How the study in view is looked at: what every lens shares. Nothing of it is data; it is kept with the window.
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

  /// The figure whose place on the curve is marked; empty for none.
  const QString& figure() const { return figure_; }
  void set_figure(const QString& key);

 signals:
  void cursors_changed();
  void changed();
  void figure_changed();

 private:
  template <class T>
  void set(T& into, T value) {
    if (into == value) return;
    into = value;
    keep();
    emit changed();
  }
  void keep() const;

  std::optional<double> a_, b_;
  bool in_db_ = true, unwrapped_ = true, logarithmic_ = true, expected_ = true;
  Against against_ = Against::nothing;
  QString figure_;
};

}  // namespace heron::app
