// SPDX-License-Identifier: GPL-3.0-or-later
// What the window believes and does of what comes from a book, a device or a person's what-if: text
// is text, files are asked about, a scenario is no plan, a field is no setting.

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/trusted_files.h"
#include "app/style/notebook_table.h"
#include "app/style/widgets.h"
#include "book/documents.h"
#include "book/notes.h"
#include "cli/process.h"
#include "core/quantity.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QApplication>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QToolTip>

#include <sys/stat.h>
#include <unistd.h>

#include <csignal>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

const std::string kExamples = std::string(KUVIO_SOURCE) + "/examples/";

void open_plan(Opened& s) {
  for (const char* name : {"satchel.battery.toml", "satchel.duty.toml", "satchel.budget.toml"}) {
    s.window.openFile(QString::fromStdString(kExamples + name));
    QTest::qWait(50);
  }
  REQUIRE(s.wait([&] { return s.window.session().book()->documents.size() == 4; }));
}

/// Whether another process has a file open.
bool opened_elsewhere(const std::string& path) {
  namespace fs = std::filesystem;
  std::error_code failed;
  for (const auto& process : fs::directory_iterator("/proc", failed)) {
    const std::string pid = process.path().filename().string();
    if (pid.find_first_not_of("0123456789") != std::string::npos ||
        pid == std::to_string(::getpid()))
      continue;
    std::error_code gone;
    for (const auto& file : fs::directory_iterator(process.path() / "fd", gone)) {
      if (fs::read_symlink(file, gone) == fs::canonical(path)) return true;
    }
  }
  return false;
}

}  // namespace

TEST_CASE("labels and tool tips show markup as what it is") {
  Opened s;
  QLabel label(QStringLiteral("<img src='/nowhere'><h1>PASSED</h1>"), &s.window);
  label.show();
  CHECK(label.textFormat() == Qt::PlainText);
  for (const QLabel* each : s.window.findChildren<QLabel*>()) {
    if (each->isVisible()) CHECK(each->textFormat() == Qt::PlainText);
  }
  QToolTip::showText(s.window.mapToGlobal(QPoint(50, 50)), QStringLiteral("<h1>PASSED</h1>"),
                     &s.window);
  const QLabel* tip = nullptr;
  for (QWidget* top : QApplication::topLevelWidgets()) {
    if (top->inherits("QTipLabel")) tip = qobject_cast<QLabel*>(top);
  }
  REQUIRE(tip);
  CHECK(tip->textFormat() == Qt::PlainText);
  CHECK(tip->text() == QStringLiteral("<h1>PASSED</h1>"));
  QToolTip::hideText();
}

TEST_CASE("a file that a book names is read only below its folder, or when a person opened it") {
  const test::Folder folder, elsewhere;
  const std::string book = folder.write("b.kuvio", "");
  const auto may = [&](const std::string& path) {
    return may_read(QString::fromStdString(path), QString::fromStdString(book));
  };
  CHECK(may(folder.write("limits.budget.toml", "x")));
  std::filesystem::create_directory(folder / "sub");
  CHECK(may(folder.write("sub/limits.budget.toml", "x")));
  const std::string outside = elsewhere.write("limits.budget.toml", "x");
  CHECK_FALSE(may(outside));
  CHECK_FALSE(may(folder / "../" +
                  std::filesystem::path(outside).parent_path().filename().string() +
                  "/limits.budget.toml"));
  std::filesystem::create_symlink(outside, folder / "link.budget.toml");
  CHECK_FALSE(may(folder / "link.budget.toml"));
  REQUIRE(::mkfifo((folder / "pipe").c_str(), 0600) == 0);
  CHECK_FALSE(may(folder / "pipe"));
  CHECK_FALSE(may("/dev/zero"));
  CHECK_FALSE(may(folder / "gone"));
  trust_file(QString::fromStdString(outside));
  CHECK(may(outside));
}

TEST_CASE(
    "a budget note that names a pipe or a stranger's file holds nothing up and reads nothing") {
  const test::Folder elsewhere;
  const std::string pipe = elsewhere / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  const std::string secret = elsewhere.write("secret.txt", "of mine");
  for (const std::string& path : {pipe, secret}) {
    INFO(path);
    Opened s;
    open_plan(s);
    const auto own = *s.window.session().book()->document(book::DocumentKind::budget);
    {
      const auto book = book::Book::open(s.made.path, book::Book::Mode::write);
      book::put(book, {book::document_note(book::DocumentKind::budget,
                                           {own.name, path, own.text, own.text})});
    }
    s.window.setDesk(DeskId::budget);
    QSignalSpy ready(&s.window.session(), &Session::budgetReady);
    s.window.session().requestBudget();
    // An answer to what was asked before the note may still be on its way.
    const auto last = [&] { return ready.last().first().value<BudgetViewPtr>(); };
    REQUIRE(s.wait([&] { return ready.count() > 0 && last()->not_looked_at; }));
    const auto view = last();
    CHECK_FALSE(view->on_disk);
    CHECK_FALSE(view->results.empty());
  }
}

TEST_CASE("names in a book are file names of their kind, or nothing is written by them") {
  CHECK(book::is_plain_name(book::DocumentKind::battery, "satchel.battery.toml"));
  for (const char* name :
       {"/elsewhere/autostart/evil.desktop", "../x.battery.toml", "a/b.battery.toml",
        ".hidden.battery.toml", "x.desktop", "", "x.battery.toml\n", "x.battery.toml/"}) {
    INFO(name);
    CHECK_FALSE(book::is_plain_name(book::DocumentKind::battery, name));
  }
  CHECK_FALSE(book::is_plain_name(book::DocumentKind::duty, "satchel.battery.toml"));
}

TEST_CASE("a what-if touches no verdict until it is made the plan, and that can be undone") {
  Opened s;
  open_plan(s);
  const auto text = [&](book::DocumentKind kind) {
    const auto* d = s.window.session().book()->document(kind);
    return d ? d->text : std::string("none");
  };
  // A plan of what was captured, so that there is a life.
  const std::string own_plan =
      s.made.folder.write("own.duty.toml",
                          "kuvio = \"duty/1\"\nname = \"own\"\nrest = \"Hibernate\"\n"
                          "[[activity]]\nper = \"4 /d\"\nstates = [\"Uplink\"]\n");
  s.window.openFile(QString::fromStdString(own_plan));
  REQUIRE(s.wait([&] { return text(book::DocumentKind::duty).find("own") != std::string::npos; }));
  const std::string battery = text(book::DocumentKind::battery),
                    duty = text(book::DocumentKind::duty);
  s.window.setDesk(DeskId::lifetime);
  auto* scenario = s.child<QLabel>("lifeScenario");
  REQUIRE(s.wait([&] { return scenario->text().size() > 3; }));
  auto* make = s.child<QPushButton>("makePlan");
  CHECK_FALSE(make->isEnabled());
  const QString before = scenario->text();
  auto* capacity = s.child<QLineEdit>("life_capacity");
  capacity->selectAll();
  QTest::keyClicks(capacity, QStringLiteral("2400 mAh"));
  QTest::keyClick(capacity, Qt::Key_Return);
  REQUIRE(s.wait([&] { return scenario->text() != before; }));
  CHECK(text(book::DocumentKind::battery) == battery);
  CHECK(text(book::DocumentKind::duty) == duty);
  REQUIRE(s.wait([&] {
    return text(book::DocumentKind::scenario_battery).find("2400 mAh") != std::string::npos;
  }));
  REQUIRE(s.wait([&] { return make->isEnabled(); }));
  // The plan's file on the command line and the book's own agree still.
  const auto check = [&] {
    return cli({"check", s.made.path, "--build", "1.0", "--budget",
                kExamples + "satchel.budget.toml", "--json"})
        .json();
  };
  const auto as_planned = check();
  QTest::mouseClick(make, Qt::LeftButton);
  REQUIRE(s.wait([&] { return text(book::DocumentKind::scenario_battery) == "none"; }));
  CHECK_THAT(text(book::DocumentKind::battery), Catch::Contains("2400 mAh"));
  CHECK(s.window.session().book()->document(book::DocumentKind::battery)->name ==
        "satchel.battery.toml");
  CHECK(s.wait([&] { return scenario->text() != before && scenario->text().size() > 3; }));
  CHECK(check() == as_planned);  // files are what they were
  s.window.actions().find(QStringLiteral("undo"))->trigger();
  REQUIRE(s.wait([&] { return text(book::DocumentKind::battery) == battery; }));
  CHECK(s.wait([&] {
    return text(book::DocumentKind::scenario_battery).find("2400 mAh") != std::string::npos;
  }));
}

TEST_CASE("a build that cannot be compared does not take the way back with it") {
  Opened s;
  {
    book::Book book = book::Book::open(s.made.path, book::Book::Mode::write);
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 1000};
    book::CaptureWriter writer(book, {"unsplit", "9.9", {}, false}, {channel});
    writer.append(0, 0, 1, std::vector<double>(5000, 1e-3));
    writer.finish("complete", false);
  }
  s.window.openBook(QString::fromStdString(s.made.path));
  REQUIRE(s.wait([&] { return s.window.session().book()->builds.size() == 3; }));
  QSignalSpy compared(&s.window.session(), &Session::buildsReady);
  s.window.setDesk(DeskId::builds);
  auto* candidate = s.child<QComboBox>("candidate");
  REQUIRE(s.wait([&] { return candidate->count() == 2; }));
  REQUIRE((compared.count() > 0 || compared.wait(5000)));
  REQUIRE(s.wait([&] { return candidate->isVisible(); }));
  const int unsplit = candidate->findData(QStringLiteral("9.9"));
  CHECK(candidate->itemText(unsplit) == QStringLiteral("9.9 · not split"));
  candidate->setCurrentIndex(unsplit);
  auto* empty = s.child<EmptyState>("buildsEmpty");
  REQUIRE(s.wait([&] { return empty->isVisible(); }));
  CHECK_THAT(empty->text().toStdString(), Catch::Contains("9.9"));
  CHECK(candidate->isVisible());  // the choosers never go
  CHECK(s.child<QComboBox>("reference")->isVisible());
  auto* back = empty->findChild<QPushButton*>(QStringLiteral("offer0"));
  REQUIRE(back);
  CHECK(back->text().endsWith(QStringLiteral("1.1")));
  QTest::qWait(30);
  QTest::mouseClick(back, Qt::LeftButton);
  REQUIRE(s.wait([&] { return !empty->isVisible(); }));
  CHECK(candidate->currentText() == QStringLiteral("1.1"));
  // With a recipe in the book it can be split from here.
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  s.window.setDesk(DeskId::builds);
  candidate->setCurrentIndex(candidate->findData(QStringLiteral("9.9")));
  QPushButton* split = nullptr;
  REQUIRE(s.wait([&] {
    for (auto* b : empty->findChildren<QPushButton*>()) {
      if (b->isVisible() && b->text() == QStringLiteral("Split with the book's recipe")) split = b;
    }
    return split != nullptr;
  }));
  QTest::mouseClick(split, Qt::LeftButton);
  REQUIRE(s.wait([&] {
    return candidate->itemText(candidate->findData(QStringLiteral("9.9"))) == QStringLiteral("9.9");
  }));
}

TEST_CASE("a line for a quantity takes a bare number in its unit, and gives up what was typed") {
  QuantityEdit edit(QStringLiteral("v"), QStringLiteral("Voltage"), Dimension::voltage, nullptr);
  edit.show();
  edit.setQuantity(3.6);
  const auto type = [&](const char* text) {
    edit.selectAll();
    QTest::keyClicks(&edit, QLatin1String(text));
    QTest::keyClick(&edit, Qt::Key_Return);
  };
  type("3.7");
  CHECK(edit.quantity() == 3.7);
  CHECK_FALSE(edit.isWrong());
  type("lots");
  CHECK(edit.isWrong());
  QTest::keyClick(&edit, Qt::Key_Escape);
  CHECK_FALSE(edit.isWrong());
  CHECK(edit.quantity() == 3.7);
  CHECK(edit.text().startsWith(QStringLiteral("3.7")));
}

TEST_CASE("a copy of the open book is saved while it is open") {
  Opened s;
  const std::string to = s.made.folder / "copy.kuvio";
  s.window.copyBook(QString::fromStdString(to));
  REQUIRE(s.wait([&] { return s.window.message().contains(QStringLiteral("Copied")); }));
  CHECK(cli({"verify", to}).status == 0);
  CHECK(cli({"list", to, "--json"}).json() == cli({"list", s.made.path, "--json"}).json());
}

TEST_CASE("a book that was copied alone while it was open says so in the window, and works") {
  const Made made;
  const std::string lone = made.folder / "lone.kuvio";
  {
    const book::Book open = book::Book::open(made.path, book::Book::Mode::write);
    book::put(open, {{0, "reference", "1.0"}});
    std::filesystem::copy_file(made.path, lone);
  }
  MainWindow window;
  window.show();
  QSignalSpy ready(&window, &MainWindow::ready);
  window.openBook(QString::fromStdString(lone));
  REQUIRE((window.settled() || ready.wait(10000)));
  CHECK_THAT(window.message().toStdString(), Catch::Contains("closed uncleanly"));
  window.session().put(QStringLiteral("reference"), {{0, "reference", "1.1"}});
  REQUIRE(test::wait_for([&] { return window.session().book()->reference() == "1.1"; }));
  CHECK(book::Book::open(lone, book::Book::Mode::read).note(0, "unclean").has_value());
}

TEST_CASE("the window asked to go by a signal leaves one file, the book") {
  for (const int signal : {SIGTERM, SIGINT, SIGHUP}) {
    INFO(signal);
    const Made made;
    const std::string lone = made.folder / "lone.kuvio";
    auto writer =
        std::make_unique<book::Book>(book::Book::open(made.path, book::Book::Mode::write));
    book::put(*writer, {{0, "reference", "1.0"}});
    test::Process window("kuvio", {made.path});
    REQUIRE(test::wait_for([&] { return opened_elsewhere(made.path); }));
    QTest::qWait(500);
    writer.reset();  // from here on the window alone has it
    REQUIRE(std::filesystem::exists(made.path + "-wal"));
    window.signal(signal);
    CHECK(window.wait() == 0);
    for (const std::string& name : made.folder.files())
      CHECK_FALSE(name.starts_with(std::filesystem::path(made.path).filename().string() + "-"));
    std::filesystem::copy_file(made.path, lone);
    CHECK(cli({"list", lone, "--json"}).json() == cli({"list", made.path, "--json"}).json());
    CHECK(cli({"verify", lone}).status == 0);
    CHECK(book::Book::open(lone, book::Book::Mode::read).note(0, "reference") == "1.0");
  }
}

TEST_CASE(
    "a book recorded, renamed, split and recorded again is whole when copied, however closed") {
  for (const std::string way : {"quit", "another book", "a stop of the recorder", "a signal"}) {
    INFO(way);
    const Made made, other;
    const std::string lone = made.folder / "lone.kuvio";
    test::Process meter("python3",
                        {std::string(KUVIO_SOURCE) + "/tests/attack/lines.py", "honest"});
    const std::string uri = "lines+tcp://127.0.0.1:" + meter.line();
    auto window = std::make_unique<MainWindow>();
    window->show();
    QSignalSpy ready(window.get(), &MainWindow::ready);
    window->openBook(QString::fromStdString(made.path));
    REQUIRE((window->settled() || ready.wait(10000)));
    REQUIRE(cli({"capture", made.path, "--input", uri, "--seconds", "0.5", "--name", "a"}).status ==
            0);
    window->session().put(QStringLiteral("renamed"), {{1, "name", "renamed"}});
    REQUIRE(test::wait_for([&] {
      const auto& rows = window->session().book()->rows;
      return std::any_of(rows.begin(), rows.end(),
                         [](const CaptureRow& r) { return r.info.name == "renamed"; });
    }));
    REQUIRE(cli({"states", made.path, "1", "--recipe", kExamples + "satchel.recipe.toml"}).status ==
            0);
    test::Process recorder("kuvio-cli", {"capture", made.path, "--input", uri, "--name", "b"});
    QTest::qWait(1200);
    if (way == "another book") {
      window->openBook(QString::fromStdString(other.path));
      REQUIRE(test::wait_for(
          [&] { return window->session().path() == QString::fromStdString(other.path); }));
    } else if (way != "a stop of the recorder") {
      window->close();
      window.reset();
    }
    recorder.signal(way == "a signal" ? SIGTERM : SIGINT);
    CHECK(recorder.wait() == 0);
    window.reset();
    CHECK_FALSE(std::filesystem::exists(made.path + "-wal"));
    CHECK_FALSE(std::filesystem::exists(made.path + "-shm"));
    std::filesystem::copy_file(made.path, lone);
    for (const std::string capture : {"1", "a", "b", "renamed"}) {
      INFO(capture);
      const auto figures = [&](const char* command, const std::string& book) {
        const auto ran = cli({command, book, capture, "--json"});
        return std::pair(ran.status, ran.out);
      };
      CHECK(figures("ledger", lone) == figures("ledger", made.path));
      CHECK(figures("span", lone).first == 0);
      CHECK(figures("span", lone) == figures("span", made.path));
    }
    CHECK(cli({"list", lone, "--json"}).out == cli({"list", made.path, "--json"}).out);
    CHECK(cli({"verify", lone}).status == 0);
  }
}
