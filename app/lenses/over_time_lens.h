#pragma once
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_cursors.h"
#include "app/lenses/plot_view.h"
#include "app/lenses/record_plot.h"

class QLabel;

namespace heron::app {

/// A lens with a line of words over the samples of a record: of the records that a take has, [ and ] step through them;
/// cursors read every quantity. Where there is no record it says why.
class OverTimeLens : public Lens {
  Q_OBJECT

 public:
  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  QList<CursorCard> cards() const override { return cards_; }
  void show_point(int index) override;
  RecordPlot* record_plot() const { return plot_; }
  /// Instead of a plot, why there is none; empty where there is one.
  QString trouble() const;

 protected:
  /// @param object  name of the plot
  OverTimeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible);

  /// Draws anew whenever the take in view, or what is known of it, changes. Call once, when all else is made.
  void follow();
  /// The record that is wanted is drawn, or said why not; asked for only while the lens is in view.
  virtual void renew() = 0;
  /// The points whose records can be shown, in their order.
  virtual std::vector<int> points() const { return {}; }
  /// The point that was chosen where it can be shown, else the last; nothing where none can.
  std::optional<int> wanted() const;
  virtual void step(int by);
  /// The word that chooses the record. @param noun  what one of them is: "record"
  void add_step_word(const QString& noun);

  void say(const QString& why);
  /// That nothing is taken, or not read yet; else why the take shows nothing here.
  void say_nothing(bool is_read, const QString& otherwise);
  void draw(std::vector<RecordCurve> curves, Panels panels, const std::vector<LimitLine>& limits = {});
  virtual void place_cursors();
  void showEvent(QShowEvent* event) override;

  /// A quantity that the cursors read, by its name.
  struct Read {
    QString name;
    study::TracePtr trace;
  };
  LookBar* bar_;
  RecordPlot* plot_;
  PlotView* looking_;
  PlotCursors* cursors_;
  std::vector<Read> read_;
  QList<CursorCard> told_;   ///< of the record itself, before what the cursors read
  QList<CursorCard> cards_;  ///< both

 private:
  void renew_in_view();

  QLabel* why_;
  int chosen_ = -1;
};

}  // namespace heron::app
