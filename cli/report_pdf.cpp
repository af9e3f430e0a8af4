#include "report_pdf.h"

#include <QApplication>

#include "render/report_document.h"
#include "render/theme.h"

namespace heron::cli {

Result<std::string> report_pdf(const report::Content& content) {
  // What the toolkit has to say of a screen concerns nobody here.
  qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString&) {});
  qputenv("QT_QPA_PLATFORM", "offscreen");
  int argc = 1;
  char name[] = "heron";
  char* argv[] = {name, nullptr};
  const QApplication application(argc, argv);
  render::load_fonts();
  return render::pdf(render::paged(content));
}

}  // namespace heron::cli
