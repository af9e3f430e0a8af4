#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>

#include "exchange/writers.h"
#include "session.h"

namespace heron::app {

void Session::zero_sensor(const std::string& name) {
  const auto* chain = hookup().find(name);
  if (!chain || running()) return;
  readers_.start([this, chain = *chain] {
    const auto zero = dossier::read_zero(chain, "simulated");
    QMetaObject::invokeMethod(
        this,
        [this, zero, name = chain.name] {
          if (!zero) return complain(zero.error());
          if (const auto trouble = edit_brief("hookup." + name + ".zero", QString::number(*zero, 'g', 6) + " V");
              !trouble.isEmpty())
            emit said(trouble, true);
          else
            emit said(
                QString("%1 reads %2 with nothing in it; that is taken off from now on.")
                    .arg(QString::fromStdString(name), QString::fromStdString(format_quantity(*zero, "V", 3).plain())),
                false);
        },
        Qt::QueuedConnection);
  });
}

void Session::check_factor(const std::string& name) {
  const auto* chain = hookup().find(name);
  if (!chain || running()) return;
  readers_.start([this, chain = *chain] {
    const auto check = dossier::read_known_signal(chain, "simulated");
    QMetaObject::invokeMethod(
        this,
        [this, check, name = chain.name] {
          if (!check) return complain(check.error());
          emit factor_checked(QString::fromStdString(name), check->read, check->known, check->u);
        },
        Qt::QueuedConnection);
  });
}

QString Session::own_sensors_path() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/sensors.json";
}

QString Session::write_own_sensors(std::vector<bench::Sensor> sensors) {
  const QString path = own_sensors_path();
  QDir().mkpath(QFileInfo(path).path());
  if (const auto ok = exchange::write_file(path.toStdString(), bench::sensor_list_text(sensors)); !ok)
    return QString::fromStdString(ok.error().message);
  own_sensors_ = std::move(sensors);
  emit sensors_changed();
  return {};
}

QString Session::keep_own_sensor(const bench::Sensor& sensor) {
  if (bench::find_stock_sensor(sensor.name)) return "A sensor that ships has this name; choose another.";
  auto all = own_sensors_;
  std::erase_if(all, [&](const bench::Sensor& s) { return s.name == sensor.name; });
  all.push_back(sensor);
  return write_own_sensors(std::move(all));
}

QString Session::drop_own_sensor(const std::string& name) {
  auto all = own_sensors_;
  std::erase_if(all, [&](const bench::Sensor& s) { return s.name == name; });
  return write_own_sensors(std::move(all));
}

QString Session::import_own_sensors(const QString& path) {
  const auto text = exchange::read_file(path.toStdString());
  if (!text) return QString::fromStdString(text.error().message);
  const auto more = bench::read_sensor_list(*text, QFileInfo(path).fileName().toStdString());
  if (!more) return QString::fromStdString(more.error().message);
  auto all = own_sensors_;
  for (const auto& sensor : *more) {
    if (bench::find_stock_sensor(sensor.name))
      return QString("%1: a sensor that ships has this name.").arg(QString::fromStdString(sensor.name));
    std::erase_if(all, [&](const bench::Sensor& s) { return s.name == sensor.name; });
    all.push_back(sensor);
  }
  return write_own_sensors(std::move(all));
}

QString Session::export_own_sensors(const QString& path) {
  const auto ok = exchange::write_file(path.toStdString(), bench::sensor_list_text(own_sensors_));
  return ok ? QString() : QString::fromStdString(ok.error().message);
}

}  // namespace heron::app
