#pragma once
#include <QObject>
#include <QString>
#include <vector>

#include "bench/sensor.h"

namespace heron::app {

/// Sensors of the user's own, kept beside the dossiers in a file of the user's data folder. Errors come back as text,
/// empty when done.
class SensorList : public QObject {
  Q_OBJECT

 public:
  explicit SensorList(QObject* parent = nullptr);

  const std::vector<bench::Sensor>& all() const { return sensors_; }
  static QString path();
  /// Why the file could not be read; nothing is written over it until that is mended. Empty where it could.
  const QString& trouble() const { return trouble_; }

  QString keep(const bench::Sensor& sensor);
  QString drop(const std::string& name);
  QString bring_in(const QString& path);
  QString write_to(const QString& path) const;

 signals:
  void changed();

 private:
  QString write(std::vector<bench::Sensor> sensors);

  std::vector<bench::Sensor> sensors_;
  QString trouble_;
};

}  // namespace heron::app
