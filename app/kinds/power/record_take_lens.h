#pragma once
#include "app/lenses/take_lens.h"
#include "power_kind_view.h"

namespace heron::app {

/// A lens about one record of the take in view: [ and ] step through them.
class RecordTakeLens : public TakeLens {
  Q_OBJECT

 public:
  bool handle_key(int key) override;
  void show_point(int index) override;

 protected:
  using TakeLens::TakeLens;
  /// The word that chooses the record; call once, after the lens's own words.
  void add_record_word();
  void prepare(const TakeViewPtr& view) override;

  /// Why the record cannot be drawn here; empty where it can.
  virtual QString lacks(const study::power::PowerRecord& record) const = 0;
  virtual void draw() = 0;

  study::power::PowerRecordPtr record_;
  study::power::Settings settings_;
  QColor ink_;

 private:
  struct Ready {
    std::vector<study::power::PowerRecordPtr> records;
    study::power::Settings settings;
    QString trouble;
  };
  void step(int by);

  std::vector<int> indices_;
  int chosen_ = -1;
};

}  // namespace heron::app
