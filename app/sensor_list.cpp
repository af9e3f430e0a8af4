#include "sensor_list.h"

#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>

#include "exchange/csv_reader.h"
#include "exchange/writers.h"

namespace heron::app {
namespace {

void put(std::vector<bench::Sensor>& all, const bench::Sensor& sensor) {
  std::erase_if(all, [&](const bench::Sensor& s) { return s.name == sensor.name; });
  all.push_back(sensor);
}

}  // namespace

SensorList::SensorList(QObject* parent) : QObject(parent) {
  if (!QFileInfo::exists(path())) return;
  const auto text = exchange::read_file(path().toStdString());
  auto sensors = text ? bench::read_sensor_list(*text, "sensors.json")
                      : Result<std::vector<bench::Sensor>>(tl::unexpected(text.error()));
  if (sensors)
    sensors_ = std::move(*sensors);
  else
    trouble_ = QString::fromStdString(sensors.error().message);
}

QString SensorList::path() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/sensors.json";
}

QString SensorList::write(std::vector<bench::Sensor> sensors) {
  // What cannot be read is hers to mend, not ours to replace.
  if (!trouble_.isEmpty())
    return QString("Your list of sensors cannot be read, so it is left as it is: %1 Mend or remove %2.").arg(trouble_, path());
  QDir().mkpath(QFileInfo(path()).path());
  if (const auto ok = exchange::write_file(path().toStdString(), bench::sensor_list_text(sensors)); !ok)
    return QString::fromStdString(ok.error().message);
  sensors_ = std::move(sensors);
  emit changed();
  return {};
}

QString SensorList::keep(const bench::Sensor& sensor) {
  if (bench::find_stock_sensor(sensor.name)) return "A sensor that ships has this name; choose another.";
  auto all = sensors_;
  put(all, sensor);
  return write(std::move(all));
}

QString SensorList::drop(const std::string& name) {
  auto all = sensors_;
  std::erase_if(all, [&](const bench::Sensor& s) { return s.name == name; });
  return write(std::move(all));
}

QString SensorList::bring_in(const QString& from) {
  const auto text = exchange::read_file(from.toStdString());
  if (!text) return QString::fromStdString(text.error().message);
  const auto more = bench::read_sensor_list(*text, QFileInfo(from).fileName().toStdString());
  if (!more) return QString::fromStdString(more.error().message);
  auto all = sensors_;
  for (const auto& sensor : *more) {
    if (bench::find_stock_sensor(sensor.name))
      return QString("%1: a sensor that ships has this name.").arg(QString::fromStdString(sensor.name));
    put(all, sensor);
  }
  return write(std::move(all));
}

QString SensorList::write_to(const QString& to) const {
  const auto ok = exchange::write_file(to.toStdString(), bench::sensor_list_text(sensors_));
  return ok ? QString() : QString::fromStdString(ok.error().message);
}

}  // namespace heron::app
