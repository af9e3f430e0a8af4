#pragma once
#include <QFrame>

#include "desk.h"
#include "study/time_course.h"

namespace heron::app {

/// Every source of a sweep against time, small beside the brief: a lane for each, a tick where a point is read, and how
/// long all of it takes. Hidden for studies of another kind.
class SourcePicture : public QWidget {
  Q_OBJECT

 public:
  explicit SourcePicture(Desk* desk, QWidget* parent = nullptr);

  const study::TimeCourse& course() const { return course_; }

 protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void refresh();
  QRectF lane(int track) const;

  Desk* desk_;
  study::TimeCourse course_;
};

}  // namespace heron::app
