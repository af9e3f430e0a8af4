#pragma once
#include <QTimer>

#include "app/aside.h"
#include "app/lenses/lens.h"
#include "app/lenses/look_bar.h"
#include "app/lenses/plot_view.h"
#include "app/readings.h"

namespace heron::app {

/// A lens with a line of words over one plot, about the take in view alone: what is to be drawn is worked out beside the
/// window's thread whenever the take or what is known of it changes, and until then, or instead, it says why there is
/// nothing.
class TakeLens : public Lens {
  Q_OBJECT

 public:
  QCustomPlot* plot() override { return plot_; }
  bool handle_key(int key) override;
  /// Instead of a plot, why there is none; empty where there is one.
  QString trouble() const { return trouble_; }

 protected:
  /// @param object  name of the plot
  TakeLens(Desk* desk, QWidget* parent, const char* object, const QString& accessible);

  /// Work that draws the take is to be asked for: `ask` of working_.
  virtual void prepare(const TakeViewPtr& view) = 0;
  /// Everything that is drawn goes.
  virtual void clear() = 0;
  /// All of it is framed.
  virtual void frame() = 0;

  void reload();
  /// Whether a hand holds something of what is drawn: it is not drawn anew until let_loose().
  virtual bool holds() const { return false; }
  void let_loose();
  void say(const QString& why);
  void showEvent(QShowEvent* event) override;
  /// After something was drawn: words and places anew; all of it in view where the study is another one, or nobody chose what is.
  void drawn(bool anew = false);

  LookBar* bar_;
  QCustomPlot* plot_;
  PlotView* looking_ = nullptr;
  Aside working_{this};

 private:
  QCPItemText* why_;
  QString trouble_;
  bool put_off_ = false;       ///< a reload, while a hand held something
  long long framed_ = -1;      ///< study that the view was made for
  long long drawn_take_ = -1;  ///< that is drawn; -1: none is
  long long asked_take_ = -1;  ///< that is being worked out
  QTimer late_;                ///< runs while another take than the drawn one is worked out
};

}  // namespace heron::app
