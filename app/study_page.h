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
  int lens_count() const { return int(offers_.size()); }
  QString lens_in_view() const { return group_->checkedId() >= 0 ? lens_title(group_->checkedId()) : QString(); }
  QString lens_title(int index) const { return offers_.at(std::size_t(index)).title; }
  Lens* lens() const;
  bool handle_key(int key);
  BriefView* brief() const { return brief_; }

 signals:
  void hookup_asked();

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void lay_out_once();
  void adopt_kind();
  /// The lens that was chosen for the study in view; below 0: none that there is.
  int kept_lens() const;
  void show_lens(int index);
  bool suits(int lens) const;
  /// That lens, or the first that suits the study in view.
  int suiting(int lens) const;
  void show_point(int index);
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
  std::vector<LensOffer> offers_;                  ///< of its kind
  QHash<const KindView*, QList<Lens*>> made_;      ///< of every kind that was looked at; null where it was not yet
  QHash<const KindView*, int> chosen_;             ///< lens that was last in view
};

}  // namespace heron::app
