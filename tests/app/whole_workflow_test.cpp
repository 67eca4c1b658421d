// SPDX-License-Identifier: GPL-3.0-or-later
// The whole round, from an empty book to a verdict and a life, by mouse and keyboard: record from
// the simulated bench, look, correct a state, compare two builds, set a limit, ask how long the
// battery lasts; then all of it undone, redone, closed and opened again.

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "book/notes.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QComboBox>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QMimeData>
#include <QPushButton>
#include <QRadioButton>
#include <QSpinBox>

#include <cmath>
#include <cstdlib>

using namespace kuvio;
using namespace kuvio::app;

namespace {

struct Hand {
  test::Folder folder;
  QString path = QString::fromStdString(folder / "round.kuvio");
  std::unique_ptr<MainWindow> window = std::make_unique<MainWindow>();

  Hand() {
    window->resize(1280, 800);
    window->show();
    window->activateWindow();
    window->openBook(path, true);
    REQUIRE(wait([&] { return window->session().path() == path; }));
  }

  static bool wait(const std::function<bool()>& done, int ms = test::kPatience) {
    return test::wait_for(done, ms);
  }
  template <typename T>
  T* find(const char* name) {
    T* out = nullptr;
    const bool there = wait([&] {
      for (T* w : window->findChildren<T*>(QLatin1String(name))) {
        if (w->isVisible()) out = w;
      }
      return out != nullptr;
    });
    INFO(name);
    REQUIRE(there);
    return out;
  }
  void click(const char* name) {
    QTest::qWait(20);  // as laid out
    auto* b = find<QPushButton>(name);
    REQUIRE(b->isEnabled());
    QTest::mouseClick(b, Qt::LeftButton);
  }
  void desk(const char* name) {
    click((std::string("desk") + name).c_str());
    REQUIRE(window->desk() == desk_of_key(QLatin1String(name)));
  }
  void type(const char* name, const QString& text) {
    auto* line = find<QLineEdit>(name);
    line->setFocus();
    line->selectAll();
    QTest::keyClicks(line, text);
    QTest::keyClick(line, Qt::Key_Return);
  }
  void key(Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
    window->activateWindow();  // a dialog may have had it
    QTest::qWait(10);
    QTest::keyClick(window.get(), key, modifiers);
  }
  void drop(const QString& file) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(file)});
    QDragEnterEvent enter(QPoint(600, 400), Qt::CopyAction, &data, Qt::LeftButton, {});
    QCoreApplication::sendEvent(window.get(), &enter);
    REQUIRE(enter.isAccepted());
    QDropEvent drop(QPointF(600, 400), Qt::CopyAction, &data, Qt::LeftButton, {});
    QCoreApplication::sendEvent(window.get(), &drop);
  }
  Session& session() { return window->session(); }
  ViewState& view() { return window->view(); }
  int edits() { return session().history()->count(); }

  void record(const QString& build, const QString& length) {
    desk("Bench");
    if (!window->findChild<QPushButton*>(QStringLiteral("simulate"))->isVisible())
      click("station-add");
    find<QComboBox>("simulatedBuild")->setCurrentText(build);
    auto* speed = find<QSpinBox>("simulatedSpeed");
    speed->setFocus();
    speed->selectAll();
    QTest::keyClicks(speed, QStringLiteral("100"));
    click("simulate");
    REQUIRE(wait([&] { return find<QPushButton>("record")->isEnabled(); }));
    CHECK(find<QLabel>("outputState")->text() == QStringLiteral("Output off"));
    type("build", build);
    type("length", length);
    click("station-device");
    type("board", QStringLiteral("satchel-07"));
    const std::size_t before = session().book()->rows.size();
    CHECK(find<QPushButton>("record")->text() == QStringLiteral("Record and power on"));
    click("record");
    REQUIRE(wait([&] { return window->desk() == DeskId::trace; }));
    REQUIRE(wait([&] { return window->bench().recording() || !session().book()->rows.empty(); }));
    CHECK(find<QWidget>("recordingStrip")->isVisible());
    // An uplink is asked for on the console while it records.
    desk("Bench");
    REQUIRE(wait([&] { return window->bench().state().recorded_s > 60; }));
    type("sendLine", QStringLiteral("uplink"));
    desk("Trace");
    REQUIRE(wait([&] { return !window->bench().recording(); }, 60000));
    REQUIRE(wait([&] { return session().book()->rows.size() == before + 1; }));
    REQUIRE(wait([&] {
      return view().capture() && !view().capture()->info.recording &&
             view().capture()->info.build == build.toStdString();
    }));
  }
};

}  // namespace

TEST_CASE("the whole round, from an empty book to a verdict and a life") {
  Hand h;
  CHECK(h.window->desk() == DeskId::trace);

  h.record(QStringLiteral("2.3.0"), QStringLiteral("240 s"));
  const CaptureViewPtr first = h.view().capture();
  CHECK(first->info.duration_s() == Approx(240));
  CHECK(first->info.conditions.at("board") == "satchel-07");
  CHECK(first->info.channels.size() == 4);
  CHECK(first->visits.empty());
  CHECK(h.edits() == 0);  // recording is no edit

  // Split by a recipe that is dropped on the window.
  h.drop(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  REQUIRE(Hand::wait(
      [&] { return h.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  h.key(Qt::Key_Return, Qt::ControlModifier);
  REQUIRE(Hand::wait([&] { return !h.view().capture()->visits.empty(); }));
  const auto state_at = [&](double t) {
    const auto& visits = h.view().capture()->visits;
    return visits[visit_at(visits, t)].visit.state;
  };
  int uplink = -1;
  for (std::size_t i = 0; i < h.view().capture()->visits.size(); ++i) {
    if (h.view().capture()->visits[i].visit.state == "Uplink") uplink = static_cast<int>(i);
  }
  REQUIRE(uplink > 0);

  // Correct a state: drag the edge between Locate and Uplink, then rename the visit after it.
  const Visit visit = h.view().capture()->visits[static_cast<std::size_t>(uplink)].visit;
  auto* fan = h.find<FanView>("fan");
  h.view().show(visit.from_s - 4, visit.to_s + 4);
  REQUIRE(Hand::wait([&] { return fan->ribbonRect(uplink).width() > 60; }));
  const QRectF there = fan->ribbonRect(uplink);
  QPoint edge(static_cast<int>(std::lround(there.left())), static_cast<int>(there.center().y()));
  CHECK(fan->edgeAt(edge) == uplink);
  QTest::mousePress(fan, Qt::LeftButton, {}, edge);
  const QPointF to = edge + QPoint(30, 0);
  QMouseEvent move(QEvent::MouseMove, to, fan->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
  QCoreApplication::sendEvent(fan, &move);
  QTest::mouseRelease(fan, Qt::LeftButton, {}, to.toPoint());
  REQUIRE(Hand::wait([&] { return h.view().capture()->edits == 1; }));
  CHECK(state_at(visit.from_s + 0.01) == "Locate");
  const double total = h.view().capture()->ledger->charge;
  double sum = 0;
  for (const LedgerRow& row : h.view().capture()->ledger->rows) sum += row.charge;
  CHECK(sum == Approx(total));  // the ledger still closes

  h.view().pickVisit(uplink + 1);
  h.key(Qt::Key_F2);
  auto* dialog = h.window->findChild<QDialog*>(QStringLiteral("visitDialog"));
  REQUIRE(dialog);
  auto* name = dialog->findChild<QComboBox*>(QStringLiteral("visitState"));
  name->lineEdit()->selectAll();
  QTest::keyClicks(name->lineEdit(), QStringLiteral("Radio tail"));
  QTest::mouseClick(dialog->findChild<QRadioButton*>(QStringLiteral("wholeState")), Qt::LeftButton);
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("accept")), Qt::LeftButton);
  REQUIRE(Hand::wait([&] { return h.view().capture()->edits == 2; }));
  CHECK(state_at(visit.to_s + 0.1) == "Radio tail");
  // That was a slip: back.
  h.key(Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(Hand::wait([&] { return h.view().capture()->edits == 1; }));
  CHECK(state_at(visit.to_s + 0.1) == "Linger");

  // The next build, split by the book's recipe with all others.
  h.record(QStringLiteral("2.4.0-rc1"), QStringLiteral("240 s"));
  h.key(Qt::Key_Return, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(Hand::wait([&] { return !h.view().capture()->visits.empty(); }));
  for (const CaptureRow& row : h.session().book()->rows) CHECK_FALSE(row.visits.empty());

  // Builds: a sentence that says which draws more.
  h.desk("Builds");
  auto* sentence = h.find<QLabel>("sentence");
  REQUIRE(Hand::wait([&] { return sentence->text().contains(QStringLiteral("2.4.0-rc1")); }));
  CHECK_THAT(sentence->text().toStdString(),
             Catch::Contains("2.4.0-rc1 draws") || Catch::Contains("no difference is shown"));
  auto* differences = h.find<NotebookTable>("differences");
  bool hibernate_higher = false;
  for (int r = 0; r < differences->model()->rowCount(); ++r) {
    if (differences->model()->index(r, 0).data(StateRole).toString() == QStringLiteral("Hibernate"))
      hibernate_higher =
          differences->model()->index(r, 7).data().toString().startsWith(QStringLiteral("higher"));
  }
  CHECK(hibernate_higher);

  // Budget: limits from the good build, one of them tightened, the bad build over it.
  h.desk("Trace");
  auto* captures = h.find<QListView>("captures");
  QTest::mouseClick(captures->viewport(), Qt::LeftButton, {},
                    captures->visualRect(captures->model()->index(0, 0)).center());
  REQUIRE(Hand::wait([&] { return h.view().capture()->info.build == "2.3.0"; }));
  h.desk("Budget");
  REQUIRE(Hand::wait(
      [&] { return h.window->findChild<QWidget*>(QStringLiteral("budgetEmpty"))->isVisible(); }));
  h.click("offer0");
  auto* limits = h.window->findChild<NotebookTable*>(QStringLiteral("limits"));
  REQUIRE(Hand::wait([&] { return limits->model()->rowCount() > 4; }));
  int hibernate = -1;
  for (int r = 0; r < limits->model()->rowCount(); ++r) {
    if (limits->model()->index(r, 0).data().toString().startsWith(QStringLiteral("Hibernate")))
      hibernate = r;
  }
  REQUIRE(hibernate >= 0);
  QTest::mouseClick(limits->viewport(), Qt::LeftButton, {},
                    limits->visualRect(limits->model()->index(hibernate, 0)).center());
  h.click("editLimit");
  auto* form = h.window->findChild<QDialog*>(QStringLiteral("limitDialog"));
  REQUIRE(form);
  auto* bound = form->findChild<QLineEdit*>(QStringLiteral("limitBound0"));
  bound->selectAll();
  QTest::keyClicks(bound, QStringLiteral("4 uA"));
  QTest::mouseClick(form->findChild<QPushButton*>(QStringLiteral("accept")), Qt::LeftButton);
  REQUIRE(Hand::wait([&] {
    return limits->model()->index(hibernate, 2).data().toString().contains(QStringLiteral("4.0"));
  }));
  const auto verdict = [&](int build) {
    return limits->model()->index(hibernate, 3 + build).data().toString();
  };
  REQUIRE(Hand::wait([&] { return verdict(1).contains(QStringLiteral("outside")); }));
  CHECK_THAT(verdict(0).toStdString(), Catch::Contains("within"));

  // Lifetime: in the scenario the rounds with an uplink come every six hours.
  h.desk("Lifetime");
  auto* life = h.window->findChild<QLabel*>(QStringLiteral("lifeScenario"));
  REQUIRE(Hand::wait([&] { return life->text().size() > 3; }));
  const QString before = life->text();
  int with_uplink = -1;
  for (int i = 0; i < 4; ++i) {
    auto* edit = h.window->findChild<QLineEdit*>(QStringLiteral("life_activity%1").arg(i));
    if (edit && edit->accessibleName().contains(QStringLiteral("Uplink"))) with_uplink = i;
  }
  REQUIRE(with_uplink >= 0);
  h.type(("life_activity" + std::to_string(with_uplink)).c_str(), QStringLiteral("6 h"));
  REQUIRE(Hand::wait([&] { return life->text() != before; }));
  CHECK(h.window->findChild<QLabel*>(QStringLiteral("lifeDifference"))
            ->text()
            .contains(QStringLiteral("longer")));
  h.type("life_wanted", QStringLiteral("2 y"));
  REQUIRE(Hand::wait([&] {
    return h.window->findChild<QLabel*>(QStringLiteral("needed"))
        ->text()
        .contains(QStringLiteral("mAh"));
  }));

  const QString scenario = life->text();

  // Undo walks back through every edit to the start …
  const int all = h.session().history()->index();
  CHECK(all >= 7);
  for (int i = 0; i < all; ++i) {
    QSignalSpy changed(&h.session(), &Session::changed);
    h.key(Qt::Key_Z, Qt::ControlModifier);
    REQUIRE((changed.count() > 0 || changed.wait(10000)));
  }
  CHECK_FALSE(h.session().history()->canUndo());
  REQUIRE(Hand::wait([&] { return h.session().book()->documents.empty(); }));
  {
    const book::Book book = book::Book::open(h.path.toStdString(), book::Book::Mode::read);
    for (const book::CaptureInfo& c : book.captures()) {
      CHECK_FALSE(c.split);
      CHECK(book::edits(book, c.id).empty());
    }
    CHECK_FALSE(book::document(book, book::DocumentKind::budget));
    CHECK_FALSE(book::document(book, book::DocumentKind::duty));
    CHECK_FALSE(book.note(0, "wanted"));
  }
  // … redo brings it all back …
  for (int i = 0; i < all; ++i) {
    QSignalSpy changed(&h.session(), &Session::changed);
    h.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    REQUIRE((changed.count() > 0 || changed.wait(10000)));
  }
  REQUIRE(Hand::wait([&] { return h.session().book()->documents.size() == 3; }));

  // … and so does closing and opening.
  h.window->close();
  h.window = std::make_unique<MainWindow>();
  h.window->resize(1280, 800);
  h.window->show();
  h.window->openBook(h.path);
  REQUIRE(Hand::wait([&] { return h.view().capture() && !h.view().capture()->visits.empty(); }));
  CHECK(h.view().capture()->edits == 1);
  CHECK(state_at(visit.from_s + 0.01) == "Locate");
  h.desk("Budget");
  limits = h.window->findChild<NotebookTable*>(QStringLiteral("limits"));
  REQUIRE(Hand::wait([&] { return limits->model()->rowCount() > 4; }));
  REQUIRE(Hand::wait([&] { return verdict(1).contains(QStringLiteral("outside")); }));
  h.desk("Lifetime");
  REQUIRE(Hand::wait([&] {
    return h.window->findChild<QLabel*>(QStringLiteral("lifeScenario"))->text() == scenario;
  }));
}
