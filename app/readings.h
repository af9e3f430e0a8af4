#pragma once
#include <QHash>
#include <QObject>
#include <QSet>
#include <list>
#include <memory>

#include "focus.h"
#include "run/ledger.h"
#include "worker.h"

namespace heron::app {

/// All that the window shows of one take, ready to draw. Shared, never altered once made.
struct TakeView {
  dossier::Take take;
  study::ReducedPtr reduced;  ///< null where nothing was read, and of a reading that was kept
  study::Columns small;       ///< of it, for the card of the take
  study::Analysis analysis;
  std::vector<run::LedgerLine> lines;
  study::SettingsText read_with = {};  ///< settings of the study
  int damaged = 0;                     ///< points that the file lost
  QString trouble;  ///< why it cannot be read, where it cannot

  bool empty() const { return !reduced; }
};
using TakeViewPtr = std::shared_ptr<const TakeView>;

/// Takes and what they came to: read beside the window's thread, what is in view first; held until others need the
/// room. What the dossier keeps of a reading is shown before any record is opened.
class Readings : public QObject {
  Q_OBJECT

 public:
  Readings(Document* document, Focus* focus, QObject* parent = nullptr);
  ~Readings() override;

  /// What is known of a take of the study in view; asks for it to be read where it is not yet. Null until then.
  TakeViewPtr view(long long take);
  /// The reading that judges a study, for the ledger: of the one in view the take in view, of others their newest. Null
  /// until read. Without curves where it comes out of what the dossier keeps.
  TakeViewPtr judged(long long study);
  /// What is known of a take of the study in view for its card, with or without curves; null until then.
  TakeViewPtr card(long long take);
  /// Whether a study has a take that judges it, read or not.
  bool has_judged(long long study);
  /// What is in view, the take itself.
  TakeViewPtr shown() { return focus_->shown() ? view(*focus_->shown()) : nullptr; }

  /// A take is running: it is shown as it comes, and read when it has ended.
  void begin_live(long long take);
  /// As far as it has come.
  void show_live(TakeViewPtr view);
  /// It has ended: it is read from the dossier from now on.
  void forget(long long take);

 signals:
  void take_read(long long take);
  /// What the dossier keeps of some takes is here.
  void kept_read();
  void live_changed();

 private:
  struct Asked {
    long long study = 0, take = 0;
  };
  bool in_view(long long take) const;
  TakeViewPtr kept(long long study, long long take);
  void ask_kept(std::vector<Asked> takes);
  void request(long long study, long long take, bool first);
  void start_next();
  void keep(long long take, TakeViewPtr view);
  void forget_study(long long study);
  long long newest(long long study);

  class Reader;
  Document* document_;
  Focus* focus_;
  QHash<long long, TakeViewPtr> views_;
  QHash<long long, TakeViewPtr> kept_;   ///< null where the dossier keeps nothing that still holds
  QHash<long long, TakeViewPtr> stale_;  ///< in view before a claim or setting changed: what was read of their points may do
  std::vector<Asked> kept_asked_;        ///< in this turn of the event loop
  QSet<long long> kept_waiting_;         ///< asked for and not here yet
  std::list<long long> used_;  ///< least recently used first
  std::size_t bytes_ = 0;
  std::list<Asked> asked_;
  std::optional<Asked> reading_;
  std::optional<long long> live_;
  int generation_ = 0;
  std::shared_ptr<Reader> source_;
  Worker reader_;  ///< one: the disk is not fought over
};

}  // namespace heron::app
