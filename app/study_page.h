#pragma once
#include <QButtonGroup>
#include <QLabel>
#include <QStackedWidget>

#include "brief_view.h"
#include "doubt_band.h"
#include "figure_row.h"
#include "lenses/bode_lens.h"
#include "lenses/lens.h"
#include "lenses/point_lens.h"
#include "source_picture.h"

namespace heron::app {

/// Title, lenses, brief, plot, figures, doubts of the study in view.
class StudyPage : public QWidget {
  Q_OBJECT

 public:
  explicit StudyPage(Session* session, QWidget* parent = nullptr);

  void choose_lens(int index);
  int lens_count() const { return int(lenses_.size()); }
  QString lens_title(int index) const { return lenses_.value(index) ? lenses_[index]->title() : QString(); }
  Lens* lens() const;
  bool handle_key(int key);
  BriefView* brief() const { return brief_; }

 signals:
  void hookup_asked();

 private:
  /// @param kind  of study that the lens is for; empty: for all
  void add_lens(Lens* lens, const std::string& kind);
  bool suits(Lens* lens) const;
  void refresh();

  Session* session_;
  QLabel* title_;
  QHBoxLayout* tabs_;
  QButtonGroup* group_;
  QStackedWidget* stack_;
  BriefView* brief_;
  SourcePicture* sources_;
  FigureRow* figures_;
  DoubtBand* doubts_;
  QList<Lens*> lenses_;
  QMap<Lens*, QString> kinds_;
  BodeLens* bode_;
  Lens* impedance_;
  PointLens* point_;
};

}  // namespace heron::app
