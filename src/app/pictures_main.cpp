// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-pictures BOOK FOLDER: pictures of the main views from a book, through the real window.

#include "acquire/simulated.h"
#include "app/bench/bench_desk.h"
#include "app/engine/book_view.h"
#include "app/engine/state_edits.h"
#include "app/engine/trace_views.h"
#include "app/shell/main_window.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "app/trace/state_dialogs.h"
#include "app/trace/visits_model.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QEventLoop>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QProcess>
#include <QPushButton>
#include <QSpinBox>
#include <QStandardPaths>
#include <QTableView>
#include <QTemporaryDir>
#include <QTimer>

#include <algorithm>
#include <cstdio>
#include <functional>
#include <random>

using namespace kuvio::app;

namespace {

void settle(int ms) {
  QEventLoop loop;
  QTimer::singleShot(ms, &loop, &QEventLoop::quit);
  loop.exec();
}

bool waitFor(const std::function<bool()>& done, int ms) {
  for (int i = 0; i < ms / 20 && !done(); ++i) settle(20);
  return done();
}

/// Takes the pictures, desk by desk.
class Photographer {
public:
  Photographer(MainWindow& window, const QDir& folder) : window_(window), folder_(folder) {}

  /// `dialog`: stands over the window, and is in the picture.
  void take(const char* name, QWidget* dialog = nullptr) {
    settle(150);
    const QString file = folder_.filePath(QString::fromLatin1(name));
    QPixmap picture = window_.grab();
    if (dialog) {
      const QPixmap over = dialog->grab();
      const QPoint at((window_.width() - dialog->width()) / 2, window_.height() / 3);
      QPainter painter(&picture);
      painter.drawPixmap(at, over);
      painter.setPen(Theme::current().muted());
      painter.drawRect(QRect(at, dialog->size()));
    }
    if (!picture.save(file)) {
      std::fprintf(stderr, "kuvio-pictures: cannot write: %s: it could not be saved\n",
                   qPrintable(file));
      std::exit(73);
    }
  }
  void judged();
  void round();
  void account();
  void two_captures();
  void imported(const QDir& examples);
  void found_and_edited();
  void bench_with_digitiser();
  void bench_with_two_outputs();

private:
  void desk(DeskId id) {
    window_.setDesk(id);
    settle(700);
  }
  bool ready() {
    return waitFor([&] { return window_.bench().state().phase == BenchState::Phase::ready; }, 8000);
  }
  /// Writes into a field of the bench and takes it, as Enter does.
  void write(const char* field, const QString& text) {
    auto* line = window_.findChild<QLineEdit*>(QLatin1String(field));
    if (!line) return;
    line->setText(text);
    if (auto* quantity = qobject_cast<QuantityEdit*>(line)) quantity->commit();
  }
  void trigger(const char* action) { window_.actions().find(QLatin1String(action))->trigger(); }

  MainWindow& window_;
  QDir folder_;
};

RecordRequest recording_of(const char* build) {
  RecordRequest request;
  request.name = request.build = build;
  request.power_on = true;
  request.seconds = 600;
  request.accuracy = kuvio::acquire::kSimulatedAccuracy;
  return request;
}

/// The desks that go by the book's budget, duty plan and battery.
void Photographer::judged() {
  desk(DeskId::budget);
  take("budget.png");
  desk(DeskId::builds);
  take("builds.png");
  desk(DeskId::lifetime);
  take("lifetime.png");
}

/// A round with its uplink, and a span over it.
void Photographer::round() {
  desk(DeskId::trace);
  ViewState& view = window_.view();
  const auto& visits = view.capture()->visits;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    if (visits[i].visit.state != "Uplink") continue;
    const double t = visits[i].visit.from_s;
    view.show(t - 16, t + 14);
    view.pickVisit(static_cast<int>(i));
    take("trace-visit.png");
    view.pickVisit(ViewState::kNone);
    view.setSpan(i > 0 ? visits[i - 1].visit.from_s : t, visits[i].visit.to_s + 2);
    trigger("showRecipe");
    waitFor(
        [&] {
          const auto* found = window_.findChild<QLabel*>(QStringLiteral("ruleVisits0"));
          return found && !found->text().isEmpty();
        },
        10000);
    settle(500);
    take("trace-recipe.png");
    view.setCursor(0, t - 4);
    view.setCursor(1, t + 0.7);
    trigger("showSpread");
    settle(900);
    take("trace-spread.png");
    view.clearCursors();
    trigger("showLog");
    break;
  }
}

/// The pages under the traces: a visit unlike the others, and what follows what beside the
/// reference.
void Photographer::account() {
  auto* list = window_.findChild<QAbstractItemView*>(QStringLiteral("captures"));
  if (!list) return;
  window_.setTheme(Theme::Kind::paper);
  window_.view().clearSpan();
  list->setCurrentIndex(list->model()->index(1, 0));
  waitFor([&] { return window_.view().capture()->info.build == "2.4.0-rc1"; }, 5000);
  trigger("showAll");
  trigger("showVisits");
  window_.view().pickState("Hibernate");
  if (auto* table = window_.findChild<QTableView*>(QStringLiteral("visits"))) {
    table->sortByColumn(VisitsModel::Remark, Qt::DescendingOrder);
    table->selectRow(1);
  }
  settle(700);
  take("trace-visits.png");
  window_.view().pickVisit(ViewState::kNone);
  trigger("showWaits");
  if (auto* from = window_.findChild<QComboBox*>(QStringLiteral("waitFrom")))
    from->lineEdit()->setText(QStringLiteral("^wake"));
  if (auto* state = window_.findChild<QComboBox*>(QStringLiteral("waitState"))) {
    state->setCurrentText(QStringLiteral("Sense"));
    emit state->activated(state->currentIndex());
  }
  settle(900);
  take("trace-waits.png");
  trigger("showTransitions");
  auto* words = window_.findChild<QLabel*>(QStringLiteral("waysWords"));
  waitFor([&] { return words && words->text().contains(QStringLiteral("2.3.0")); }, 5000);
  settle(300);
  take("trace-transitions.png");
  trigger("showLedger");
  list->setCurrentIndex(list->model()->index(0, 0));
  waitFor([&] { return window_.view().capture()->info.build == "2.3.0"; }, 5000);
}

/// Two captures laid over each other by their second entry into Uplink.
void Photographer::two_captures() {
  window_.setTheme(Theme::Kind::paper);
  desk(DeskId::trace);
  window_.view().clearSpan();
  if (auto* list = window_.findChild<QAbstractItemView*>(QStringLiteral("captures")))
    list->model()->setData(list->model()->index(1, 0), Qt::Checked, Qt::CheckStateRole);
  waitFor([&] { return window_.view().shown()->captures.size() == 2; }, 5000);
  trigger("lineUp");
  settle(300);
  if (auto* state = window_.findChild<QComboBox*>(QStringLiteral("lineUpState")))
    state->setCurrentText(QStringLiteral("Uplink"));
  if (auto* number = window_.findChild<QSpinBox*>(QStringLiteral("lineUpEntry")))
    number->setValue(2);
  if (auto* lay = window_.findChild<QPushButton*>(QStringLiteral("lineUpByEntry"))) lay->click();
  waitFor([&] { return window_.view().shown()->captures.back()->offset_s != 0; }, 5000);
  int uplinks = 0;
  for (const kuvio::VisitFigures& v : window_.view().capture()->visits) {
    if (v.visit.state == "Uplink" && ++uplinks == 2)
      window_.view().show(v.visit.from_s - 14, v.visit.from_s + 8);
  }
  settle(700);
  take("trace-lined-up.png");
  if (auto* list = window_.findChild<QAbstractItemView*>(QStringLiteral("captures")))
    list->model()->setData(list->model()->index(1, 0), Qt::Unchecked, Qt::CheckStateRole);
  trigger("showLog");
}

/// A log that leaves something open, and one whose drop became a current: Mealbell's.
void Photographer::imported(const QDir& examples) {
  window_.setTheme(Theme::Kind::paper);
  const QTemporaryDir logs;
  QFile log(logs.filePath(QStringLiteral("night-run.csv")));
  if (!log.open(QIODevice::WriteOnly)) return;
  log.write("# bench 3, board satchel-07\nt (s);supply (V);load (ticks);note\n");
  for (int i = 0; i < 240; ++i)
    log.write(
        QStringLiteral("%1;3,6%2;%3;\n")
            .arg(QString::number(i * 0.25, 'f', 2).replace(QLatin1Char('.'), QLatin1Char(',')))
            .arg(i % 7)
            .arg(i % 40 < 8 ? 61 + i % 3 : 4)
            .toUtf8());
  log.close();
  window_.importFiles({log.fileName()});
  const auto* trouble = window_.findChild<QLabel*>(QStringLiteral("importTrouble"));
  waitFor([&] { return trouble && !trouble->text().isEmpty(); }, 5000);
  take("import.png");

  const auto shown = [&] { return window_.view().capture(); };
  window_.importFiles({examples.filePath(QStringLiteral("mealbell.log"))});
  auto* go = window_.findChild<QPushButton*>(QStringLiteral("importGo"));
  if (!waitFor([&] { return go && go->isEnabled(); }, 5000)) return;
  go->click();
  waitFor([&] { return shown() && shown()->info.name == "mealbell"; }, 10000);
  trigger("showChannels");
  auto* which = window_.findChild<QComboBox*>(QStringLiteral("channelWhich"));
  waitFor([&] { return which && which->count() == 2; }, 5000);
  const auto fill = [&](const char* name, const char* text) {
    if (auto* line = window_.findChild<QLineEdit*>(QLatin1String(name)))
      line->setText(QString::fromUtf8(text));
  };
  fill("channelShunt", "0.22 Ohm 1 %");
  fill("channelRating", "250 mW");
  fill("channelAccuracy", "0.5 % + 50 uV");
  if (auto* set = window_.findChild<QPushButton*>(QStringLiteral("channelSet"))) set->click();
  waitFor([&] { return shown()->channel.quantity == kuvio::Quantity::current; }, 10000);
  settle(900);
  take("channels-mealbell.png");
  trigger("showLog");
}

/// What finding proposes on a trace that nobody has seen, and corrections by hand, beside a gap.
void Photographer::found_and_edited() {
  const QTemporaryDir logs;
  QFile log(logs.filePath(QStringLiteral("field-trial.csv")));
  if (!log.open(QIODevice::WriteOnly)) return;
  log.write("time [s],current [mA]\n");
  std::mt19937 random(11);
  std::normal_distribution<double> noise(0, 0.03);
  for (int i = 0; i < 24000; ++i) {
    if (i > 11000 && i < 12600) continue;  // its memory was full
    const int in_round = i % 2000, round = i / 2000;
    const double level = in_round < 1400                      ? 0.02
                         : in_round < 1700                    ? 1.2
                         : in_round < 1760 + (round % 3) * 40 ? 48
                                                              : 6.5;
    log.write(QStringLiteral("%1,%2\n")
                  .arg(i / 200.0, 0, 'f', 3)
                  .arg(level * (1 + noise(random)), 0, 'g', 5)
                  .toUtf8());
  }
  log.close();
  window_.importFiles({log.fileName()});
  auto* go = window_.findChild<QPushButton*>(QStringLiteral("importGo"));
  if (!waitFor([&] { return go && go->isEnabled(); }, 5000)) return;
  go->click();
  const auto shown = [&] { return window_.view().capture(); };
  waitFor([&] { return shown() && shown()->info.name == "field-trial"; }, 10000);
  trigger("findStates");
  waitFor([&] { return !shown()->visits.empty(); }, 10000);
  trigger("showRecipe");
  waitFor(
      [&] {
        const auto* found = window_.findChild<QLabel*>(QStringLiteral("ruleVisits3"));
        return found && !found->text().isEmpty();
      },
      10000);
  window_.view().show(36, 74);
  settle(900);
  take("trace-found.png");

  const auto visit_at = [&](double t) {
    const auto& visits = shown()->visits;
    for (std::size_t i = 0; i < visits.size(); ++i) {
      if (visits[i].visit.from_s <= t && t < visits[i].visit.to_s) return static_cast<int>(i);
    }
    return ViewState::kNone;
  };
  const auto edits = [&](std::size_t n) { waitFor([&] { return shown()->edits == n; }, 5000); };
  window_.view().pickVisit(visit_at(38.7));
  trigger("pinVisit");
  edits(1);
  kuvio::app::name_span(window_.session(), shown()->info.id, 42.5, 44.0, "Self-test");
  edits(2);
  window_.view().pickVisit(visit_at(48.6));
  trigger("joinNext");
  edits(3);
  window_.view().pickVisit(ViewState::kNone);
  window_.setTheme(Theme::Kind::night);
  trigger("showLog");
  settle(600);
  if (auto* review = window_.findChild<QPushButton*>(QStringLiteral("edits"))) review->click();
  settle(400);
  auto* dialog = window_.findChild<EditsDialog*>();
  take("trace-edits.png", dialog);
  if (dialog) dialog->close();
  window_.setTheme(Theme::Kind::paper);
}

/// The bench at work: ready, recording, held, after a lost link, and with two outputs.
void Photographer::bench_with_digitiser() {
  RecordRequest request = recording_of("2.4.0-rc1");
  request.logic = {"radio_on", "locate_on"};
  desk(DeskId::bench);
  window_.bench().startSimulated(QStringLiteral("2.4.0-rc1"), 20, 20, true);
  if (!ready()) return;
  request.shunts["I_shunt"] = 10;
  write("build", QStringLiteral("2.4.0-rc1"));
  write("logicLines", QStringLiteral("radio_on, locate_on"));
  auto* bench = window_.findChild<BenchDesk*>();
  settle(1500);  // until its channels are known
  bench->openDrawer(QStringLiteral("path:I_shunt"));
  write("shunt", QStringLiteral("10 Ohm"));
  window_.bench().switchOutput(true);
  settle(4500);
  bench->openDrawer(bench->findChild<WireView*>()->plan().lines.front().source.id);
  write("ceilingVoltage", QStringLiteral("3.9 V"));
  if (auto* volts = window_.findChild<QLineEdit*>(QStringLiteral("voltage"))) {
    volts->selectAll();
    volts->insert(QStringLiteral("3.3"));
    volts->setModified(true);
    emit volts->textEdited(volts->text());
  }
  settle(3000);
  take("bench-source.png");
  if (auto* volts = window_.findChild<QuantityEdit*>(QStringLiteral("voltage"))) volts->takeBack();
  bench->openDrawer({});
  settle(3500);
  take("bench-ready.png");
  window_.bench().switchOutput(false);
  settle(500);
  window_.bench().record(request);
  settle(7000);
  window_.bench().send(QStringLiteral("uplink"));
  window_.bench().mark(QStringLiteral("uplink asked for"));
  settle(1500);
  desk(DeskId::bench);
  take("bench-recording.png");
  if (auto* process = window_.bench().findChild<QProcess*>()) process->kill();
  waitFor([&] { return !window_.bench().state().away.empty(); }, 10000);
  desk(DeskId::bench);
  settle(500);
  take("bench-lost.png");
  window_.bench().stop();
  waitFor([&] { return !window_.bench().recording(); }, 10000);
}

/// A device that gives and takes.
void Photographer::bench_with_two_outputs() {
  if (auto* seen = window_.findChild<QPushButton*>(QStringLiteral("messageSeen"))) seen->click();
  window_.bench().startSimulated(QStringLiteral("perch"), 20, 20);
  if (!ready()) return;
  waitFor([&] { return window_.bench().state().output.outputs.size() == 2; }, 3000);
  write("build", QStringLiteral("perch 1.2"));
  write("logicLines", {});
  window_.bench().switchOutput(true, QStringLiteral("2"));
  settle(800);
  window_.bench().record(recording_of("perch 1.2"));
  settle(5500);
  desk(DeskId::bench);
  take("bench-perch.png");
  window_.bench().stop();
  waitFor([&] { return !window_.bench().recording(); }, 10000);
}

}  // namespace

int main(int argc, char** argv) {
  QStandardPaths::setTestModeEnabled(true);  // leave the user's own settings alone
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("Kuvio pictures"));
  QApplication::setOrganizationName(QStringLiteral("Kuvio"));
  if (argc != 4) {
    std::fprintf(stderr,
                 "kuvio-pictures: usage error: command line: it takes BOOK, FOLDER and EXAMPLES\n");
    return 64;
  }
  const QDir folder(QString::fromLocal8Bit(argv[2]));
  if (!folder.exists()) {
    std::fprintf(stderr, "kuvio-pictures: cannot write: %s: there is no such folder\n", argv[2]);
    return 73;
  }
  Theme::apply(Theme::Kind::paper);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  Photographer pictures(window, folder);
  QString failure;
  QObject::connect(&window.session(), &Session::failed,
                   [&](const QString& message) { failure = message; });
  window.openBook(QString::fromLocal8Bit(argv[1]));
  if (!waitFor([&] { return window.settled() || !failure.isEmpty(); }, 20000) ||
      !failure.isEmpty()) {
    std::fprintf(stderr, "kuvio-pictures: %s\n",
                 failure.isEmpty() ? "the book did not open in 20 s" : qPrintable(failure));
    return 65;
  }
  pictures.judged();
  pictures.round();
  pictures.account();
  pictures.two_captures();
  pictures.imported(QDir(QString::fromLocal8Bit(argv[3])));
  pictures.found_and_edited();
  pictures.bench_with_digitiser();
  pictures.bench_with_two_outputs();
  return 0;
}
