// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio: the desktop application.

#include "app/engine/book_view.h"
#include "app/shell/main_window.h"
#include "app/shell/quit_on_signal.h"
#include "app/style/pixels.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QScreen>
#include <QTimer>

#include <cstdio>

namespace {
constexpr double kDesignedDpi = 96;  // dots per inch of text as designed
}

int main(int argc, char** argv) {
  QElapsedTimer since;
  since.start();
  // Without a display Qt would abort; say it as every other error is said.
  if (!qEnvironmentVariableIsSet("DISPLAY") && !qEnvironmentVariableIsSet("WAYLAND_DISPLAY") &&
      !qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) {
    std::fprintf(stderr, "kuvio: no display (DISPLAY is not set); use kuvio-cli instead\n");
    return 69;
  }
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("Kuvio"));
  QApplication::setOrganizationName(QStringLiteral("Kuvio"));
  QApplication::setApplicationVersion(QStringLiteral(KUVIO_VERSION));
  QCommandLineParser parser;
  parser.setApplicationDescription(QStringLiteral(
      "Capture current, split it into states, account for the charge, compare builds."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(
      QStringLiteral("book"),
      QStringLiteral("the book to open (*.kuvio), and logs to import into it"),
      QStringLiteral("[book [log…]]"));
  const QCommandLineOption night(QStringLiteral("night"),
                                 QStringLiteral("Begin in the night theme."));
  const QCommandLineOption timing(
      QStringLiteral("time-start"),
      QStringLiteral("Print how long the start took, in ms, and quit."));
  parser.addOption(night);
  parser.addOption(timing);
  parser.process(application);

  using namespace kuvio::app;
  // Read before there is a window: from then on no file is touched in this thread.
  const Preferences preferences = Preferences::load();
  const bool dark = parser.isSet(night) || preferences.look == Preferences::Look::night;
  // As large as the desktop has its text, and then as it was chosen here.
  set_screen_width(QGuiApplication::primaryScreen()->availableSize().width());
  set_text_scale(QGuiApplication::primaryScreen()->logicalDotsPerInch() / kDesignedDpi *
                 preferences.text_percent / 100);
  Theme::apply(dark ? Theme::Kind::night : Theme::Kind::paper);
  MainWindow window(preferences);
  const QuitOnSignal outside;
  QObject::connect(&outside, &QuitOnSignal::asked, &window, &MainWindow::leave);
  // Whole on a small screen, with its frame; the foot is the first to be missed.
  constexpr int kFrame = 36;
  const QRect room = window.screen()->availableGeometry();
  window.resize(window.size().boundedTo(room.size() - QSize(0, kFrame)));
  if (!room.contains(window.geometry())) window.move(room.topLeft());
  window.show();
  if (parser.isSet(timing)) {
    const auto report = [&] {
      std::printf("%lld\n", static_cast<long long>(since.elapsed()));
      std::fflush(stdout);
      QCoreApplication::quit();
    };
    QObject::connect(&window.session(), &Session::failed, &window, [](const QString& why) {
      std::fprintf(stderr, "kuvio: %s\n", qPrintable(why));
      QCoreApplication::exit(65);
    });
    if (parser.positionalArguments().isEmpty()) {
      QTimer::singleShot(0, &window, report);
    } else {
      QObject::connect(&window, &MainWindow::ready, &window, report, Qt::QueuedConnection);
      // A book without captures has nothing more to show.
      QObject::connect(&window.session(), &Session::bookOpened, &window,
                       [&](const BookViewPtr& book) {
                         if (book->rows.empty()) QTimer::singleShot(0, &window, report);
                       });
    }
  }
  // Without a name the book that was open last, if it is still there.
  if (!parser.positionalArguments().isEmpty()) {
    window.openFile(parser.positionalArguments().constFirst());
    // What is named behind a book is imported into it.
    const QStringList more = parser.positionalArguments().mid(1);
    if (!more.isEmpty() && parser.positionalArguments().constFirst().endsWith(".kuvio"))
      QObject::connect(
          &window.session(), &Session::bookOpened, &window,
          [&window, more] {
            QTimer::singleShot(0, &window, [&window, more] { window.importFiles(more); });
          },
          Qt::SingleShotConnection);
  } else if (!parser.isSet(timing) && !preferences.recent.isEmpty() &&
             QFileInfo::exists(preferences.recent.constFirst())) {
    window.openBook(preferences.recent.constFirst());
  }
  return QApplication::exec();
}
