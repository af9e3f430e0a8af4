#pragma once
#include <QButtonGroup>
#include <QLabel>
#include <QStackedWidget>

#include "brief_view.h"
#include "doubt_band.h"
#include "figure_row.h"
#include "kinds/kind_view.h"
#include "source_picture.h"

namespace heron::app {

/// Title, lenses, brief, plot, figures, doubts of the study in view.
class StudyPage : public QWidget {
  Q_OBJECT

 public:
  explicit StudyPage(Desk* desk, QWidget* parent = nullptr);

  void choose_lens(int index);
  int lens_count() const { return int(lenses_.size()); }
  QString lens_title(int index) const { return lenses_.value(index) ? lenses_[index]->title() : QString(); }
  Lens* lens() const;
  bool handle_key(int key);
  BriefView* brief() const { return brief_; }

 signals:
  void hookup_asked();

 private:
  void adopt_kind();
  void refresh();

  Desk* desk_;
  QLabel* title_;
  QHBoxLayout* tabs_;
  QButtonGroup* group_;
  QStackedWidget* stack_;
  QLabel* unknown_;  ///< in the place of lenses where the kind has none
  BriefView* brief_;
  SourcePicture* sources_;
  FigureRow* figures_;
  DoubtBand* doubts_;
  const KindView* view_ = nullptr;                 ///< of the study in view
  QList<Lens*> lenses_;                            ///< of its kind
  QHash<const KindView*, QList<Lens*>> made_;      ///< of every kind that was looked at
  QHash<const KindView*, int> chosen_;             ///< lens that was last in view
};

}  // namespace heron::app
