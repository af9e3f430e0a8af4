#include <QApplication>
#include <QPalette>
#include <QStyleFactory>
#include <QToolTip>

#include "main_window.h"
#include "render/theme.h"

namespace heron::app {

void apply_style() {
  const auto& t = render::theme();
  render::load_fonts();
  QApplication::setStyle(QStyleFactory::create("Fusion"));
  QApplication::setFont(render::text_font(13));
  QPalette palette;
  palette.setColor(QPalette::Window, t.mist);
  palette.setColor(QPalette::WindowText, t.ink);
  palette.setColor(QPalette::Base, t.sheet);
  palette.setColor(QPalette::AlternateBase, t.mist);
  palette.setColor(QPalette::Text, t.ink);
  palette.setColor(QPalette::Button, t.sheet);
  palette.setColor(QPalette::ButtonText, t.ink);
  palette.setColor(QPalette::Highlight, t.heron);
  palette.setColor(QPalette::HighlightedText, t.sheet);
  palette.setColor(QPalette::PlaceholderText, t.slate);
  palette.setColor(QPalette::ToolTipBase, t.sheet);
  palette.setColor(QPalette::ToolTipText, t.ink);
  QApplication::setPalette(palette);
  QToolTip::setPalette(palette);
  QToolTip::setFont(render::text_font(12));

  const QString sheet = R"css(
    #top-bar { background: %mist; border-bottom: 1px solid %line; }
    #strip-row { background: %silt; border-top: 1px solid %line; }
    #ledger, #ledger-page { background: %mist; }
    #ledger { border-right: 1px solid %line; }
    #sheet { background: %sheet; }
    #takes { background: transparent; }
    #doubt { background: %band; border-left: 3px solid %bill; }
    #remedy { color: %warn; background: transparent; border: none; text-decoration: underline; font-weight: 600; padding: 0 2px; }
    #remedy:hover, #remedy:focus { color: %ink; }
    #message { background: %band; color: %ink; padding: 6px 20px; border-left: 3px solid %bill; }
    #message[calm="true"] { background: %silt; border-left-color: %heron; }
    QDialogButtonBox, QMessageBox, QInputDialog { dialogbuttonbox-buttons-have-icons: 0; }
    QPushButton { background: %sheet; border: 1px solid %line; border-radius: 4px; padding: 4px 10px; color: %ink; }
    QPushButton:hover { border-color: %heron; }
    QPushButton:focus { border: 1px solid %heron; outline: none; }
    QPushButton:disabled { color: %slate; }
    #take { background: %heron; border: 1px solid %heron; color: %sheet; font-weight: 600; padding: 5px 18px; }
    #take:hover { background: #234c5e; }
    #take:focus { border: 2px solid %ink; padding: 4px 17px; }
    #take:disabled { background: %line; border-color: %line; color: %slate; }
    #tab { border: none; border-bottom: 2px solid transparent; border-radius: 0; background: transparent; padding: 4px 10px; color: %slate; }
    #tab:checked { color: %heron; border-bottom: 2px solid %heron; font-weight: 600; }
    #tab:hover, #tab:focus { color: %ink; border-bottom: 2px solid %line; }
    #tab:checked:focus { border-bottom: 3px solid %heron; }
    #fold, #place { border: none; background: transparent; color: %heron; padding: 1px 4px; }
    #fold:checked { text-decoration: underline; font-weight: 600; }
    #fold:hover, #place:hover, #fold:focus, #place:focus { text-decoration: underline; }
    #study, #study-current { border: none; border-radius: 0; border-left: 4px solid transparent; background: transparent; text-align: left; }
    #study:hover, #study:focus { background: %silt; }
    #study-current { background: %sheet; border-left: 4px solid %heron; }
    #study-current:focus { background: #ffffff; }
    #brief-editor, #finder { background: %sheet; border: 1px solid %heron; border-radius: 5px; }
    #brief-editor QLabel, #finder QListWidget { border: none; background: transparent; }
    QListWidget { background: #ffffff; border: 1px solid %line; border-radius: 3px; }
    QLineEdit, QPlainTextEdit { background: #ffffff; border: 1px solid %line; border-radius: 3px; padding: 4px 6px; selection-background-color: %heron; }
    #written { background: transparent; border: 1px solid transparent; padding: 2px 0; }
    #written:hover { border-bottom-color: %line; }
    #written:focus { background: #ffffff; border-color: %heron; padding: 2px 6px; }
    QLineEdit:focus { border-color: %heron; }
    QProgressBar { background: %silt; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }
    QProgressBar::chunk { background: %heron; border-radius: 3px; }
    QHeaderView::section { background: %sheet; border: none; border-bottom: 1px solid %line; padding: 4px 10px; color: %slate; font-size: 12px; }
    QTableWidget { background: %sheet; selection-background-color: %silt; selection-color: %ink; outline: none; }
    QTableWidget::item { padding: 0 10px; border: none; }
    QTableWidget::item:focus { background: %silt; color: %ink; border-bottom: 1px solid %heron; }
    QScrollBar:horizontal { height: 8px; background: transparent; }
    QScrollBar:vertical { width: 8px; background: transparent; }
    QScrollBar::handle { background: %line; border-radius: 4px; min-width: 24px; min-height: 24px; }
    QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
    QToolTip { background: %sheet; color: %ink; border: 1px solid %line; padding: 4px; }
  )css";
  QString done = sheet;
  const std::pair<const char*, QColor> names[] = {{"%mist", t.mist},   {"%sheet", t.sheet},    {"%silt", t.silt},
                                                  {"%line", t.line},   {"%ink", t.ink},        {"%slate", t.slate},
                                                  {"%heron", t.heron}, {"%band", t.bill_band}, {"%bill", t.bill},
                                                  {"%warn", t.bill_text}};
  for (const auto& [name, colour] : names) done.replace(name, colour.name());
  qApp->setStyleSheet(done);
}

}  // namespace heron::app
