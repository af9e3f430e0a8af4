#pragma once
#include <QUndoCommand>
#include <functional>

namespace heron::app {

/// One undoable edit: what to do and what to do instead.
class EditCommand : public QUndoCommand {
 public:
  EditCommand(const QString& text, std::function<void()> forth, std::function<void()> back)
      : QUndoCommand(text), forth_(std::move(forth)), back_(std::move(back)) {}
  void redo() override { forth_(); }
  void undo() override { back_(); }

 private:
  std::function<void()> forth_, back_;
};

}  // namespace heron::app
