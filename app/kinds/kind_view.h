#pragma once
#include <QList>
#include <QString>
#include <functional>
#include <vector>

#include "app/lenses/lens.h"
#include "study/kind.h"

namespace heron::app {

/// Something a kind offers in the finder.
struct KindAction {
  QString name;
  std::function<void()> run;
};

/// A lens as its tab offers it; made when it is first looked at.
struct LensOffer {
  QString title;
  std::function<Lens*(Desk*, QWidget*)> make;
  bool (*suits)(const Desk&) = nullptr;  ///< whether it has anything to show of the study in view; null: always
  bool shows_points = false;             ///< the samples behind a point
};

template <class T>
Lens* make(Desk* desk, QWidget* parent) {
  return new T(desk, parent);
}

/// How a kind of study is looked at. One a folder; listed in kind_views().
class KindView {
 public:
  virtual ~KindView() = default;
  virtual const study::Kind& kind() const = 0;
  /// Its lenses in the order of their tabs, the one to begin with first.
  virtual std::vector<LensOffer> lenses() const = 0;
  /// Whether a cursor means the same at another study of the kind.
  virtual bool keeps_cursors() const { return false; }
  /// What the finder offers for a study of it.
  virtual QList<KindAction> actions(Desk*, QWidget* /*window*/) const { return {}; }
  /// Lines that a claim may look like, for people who write one.
  virtual QString claim_examples() const = 0;
  /// Settings of how it is read, for people who write one: "estimator = H2".
  virtual QString setting_examples() const = 0;
};

/// The kinds that can be looked at. Adding one: its folder, and a line in kinds.cpp.
const std::vector<const KindView*>& kind_views();
const KindView* find_kind_view(const study::Kind* kind);
/// One more, for as long as the program runs; for tests.
void add_kind_view(const KindView& view);

}  // namespace heron::app
