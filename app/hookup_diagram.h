#pragma once
#include <QWidget>

#include "bench/hookup.h"
#include "bench/levels.h"

/// The drawn parts of the Hookup page: symbols of our own in ink, and the headroom of an input.
namespace heron::app {

/// Sensor, attenuator and input as symbols on one line, each centred over its column.
class ChainLine : public QWidget {
 public:
  explicit ChainLine(QWidget* parent) : QWidget(parent) { setFixedHeight(38); }
  void show_chain(const bench::Chain& chain, QList<int> centres);

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  bench::Chain chain_;
  QList<int> centres_;
};

/// A log scale with the expected level, a tenth of the range, the full range and what does harm.
class HeadroomBar : public QWidget {
 public:
  explicit HeadroomBar(QWidget* parent) : QWidget(parent) { setFixedHeight(30); }

  /// @param range  full range in the quantity; nothing while it is found automatically and no level is known
  void show_levels(std::optional<double> expected, std::optional<double> range, double harm, const std::string& unit);

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  std::optional<double> expected_, range_;
  double harm_ = 0;
  std::string unit_;
};

/// The device as a plain box: the driven pin at the left with its generator, a stub to every row at the right.
class DeviceBox : public QWidget {
 public:
  explicit DeviceBox(QWidget* parent) : QWidget(parent) { setFixedWidth(kWidth); }
  struct Stub {
    QString pin;
    int y;
  };
  void show_device(const QString& name, const QString& drive_pin, int drive_y, QList<Stub> stubs);
  static constexpr int kWidth = 236, kBoxLeft = 78;

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  QString name_, drive_pin_;
  int drive_y_ = 60;
  QList<Stub> stubs_;
};

}  // namespace heron::app
