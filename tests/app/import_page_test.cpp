// SPDX-License-Identifier: GPL-3.0-or-later
// Logs dropped on the window: looked at, corrected, imported, taken back.

#include "app/shell/import_page.h"

#include "app/engine/book_view.h"
#include "app/engine/import_preview.h"
#include "app/engine/trace_views.h"
#include "book/channel_trace.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QDropEvent>
#include <QMimeData>

using namespace kuvio;
using namespace kuvio::app;

namespace {

QString data(const char* file) {
  return QString::fromStdString(std::string(KUVIO_SOURCE) + "/tests/data/" + file);
}

/// A window on an empty book.
struct Importing {
  test::Folder folder;
  QString path = QString::fromStdString(folder / "b.kuvio");
  MainWindow window;

  Importing() {
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    window.openBook(path, true);
    REQUIRE(wait([&] { return window.session().book() != nullptr; }));
  }
  static bool wait(const std::function<bool()>& done) { return test::wait_for(done); }
  template <typename T>
  T* find(const QString& name) {
    for (T* one : window.findChildren<T*>(name))
      if (one->isVisible()) return one;
    INFO(name.toStdString());
    FAIL("not there");
    return nullptr;
  }
  ImportPage* page() { return window.findChild<ImportPage*>(); }
  QString trouble() { return find<QLabel>("importTrouble")->text(); }
  QPushButton* go() { return find<QPushButton>("importGo"); }
  void drop(const QStringList& files) {
    QMimeData mime;
    QList<QUrl> urls;
    for (const QString& f : files) urls << QUrl::fromLocalFile(f);
    mime.setUrls(urls);
    QDropEvent event(QPointF(100, 100), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    // A drag of its own would be another program's.
    static_cast<QObject&>(window).event(&event);
    REQUIRE(page()->isVisible());
  }
  /// Chooses as people do, by the list's own signal.
  void choose(const QString& box, const QString& text) {
    auto* combo = find<QComboBox>(box);
    const int at = combo->findText(text);
    REQUIRE(at >= 0);
    combo->setCurrentIndex(at);
    emit combo->activated(at);
  }
  bool ready() {
    const bool out = wait([&] { return page()->ready(); });
    QTest::qWait(30);  // what was made for its columns is shown
    return out;
  }
  const std::vector<CaptureRow>& rows() { return window.session().book()->rows; }
};

double charge_of(const QString& book, std::int64_t capture) {
  const book::Book read = book::Book::open(book.toStdString(), book::Book::Mode::read);
  for (const book::ChannelInfo& c : read.capture(capture).channels)
    if (c.quantity == Quantity::current) return measure(book::ChannelTrace(read, c)).charge;
  return NAN;
}

}  // namespace

TEST_CASE(
    "three dropped logs become captures of their builds, one of them corrected, and go again") {
  Importing s;
  s.drop({data("decimal-comma.csv"), data("refused-unknown-unit.csv"), data("began-again.csv")});
  REQUIRE(s.ready());
  CHECK(s.go()->text() == QStringLiteral("Import 3 files"));
  CHECK(s.find<QPlainTextEdit>("importHead")
            ->toPlainText()
            .contains(QStringLiteral("1  Zeit (s);Strom (mA);Spannung (V)")));
  CHECK(s.find<QComboBox>("importRole2")->currentText() == QStringLiteral("current"));
  CHECK(s.find<QLabel>("importFound")->text().contains(QStringLiteral("decimal commas")));
  CHECK(s.find<QLabel>("importFigures")->text().contains(QStringLiteral("mean of Strom 3.000")));
  QTest::keyClicks(s.find<QLineEdit>("importBuild"), QStringLiteral("1.0"));
  // The second cannot be read as it stands, and says what of it.
  s.choose(QStringLiteral("importFile"), QStringLiteral("refused-unknown-unit.csv"));
  REQUIRE(s.wait([&] { return !s.trouble().isEmpty(); }));
  QTest::qWait(30);
  CHECK(s.trouble().contains(QStringLiteral("\"sense\" names no unit of current")));
  CHECK_FALSE(s.trouble().contains(QStringLiteral("--")));
  CHECK_FALSE(s.go()->isEnabled());
  s.choose(QStringLiteral("importRole2"), QStringLiteral("current"));
  REQUIRE(s.ready());
  s.choose(QStringLiteral("importUnit2"), QStringLiteral("mA"));
  REQUIRE(s.ready());
  CHECK(s.go()->isEnabled());
  QTest::keyClicks(s.find<QLineEdit>("importBuild"), QStringLiteral("1.1"));
  QTest::mouseClick(s.go(), Qt::LeftButton);
  REQUIRE(s.wait([&] { return s.window.session().book() && s.rows().size() == 4; }));
  CHECK(s.window.desk() == DeskId::trace);
  CHECK(s.rows()[0].info.build == "1.0");
  CHECK(s.rows()[1].info.build == "1.1");
  CHECK(s.rows()[2].info.name == "began-again");
  CHECK(s.rows()[3].info.name == "began-again · 2");
  CHECK(charge_of(s.path, 1) == Approx(2.7e-3));
  CHECK(charge_of(s.path, 2) == Approx(2e-3));  // 2 mA over a second
  CHECK(charge_of(s.path, 4) == Approx(5.4e-3));
  REQUIRE(s.wait([&] { return s.window.view().capture() != nullptr; }));
  CHECK(s.window.view().capture()->info.id == 1);
}

TEST_CASE("what a log leaves open is asked for on its page") {
  Importing s;
  s.drop({data("refused-ambiguous-comma.csv")});
  REQUIRE(s.wait([&] { return !s.trouble().isEmpty(); }));
  CHECK(s.trouble().contains(QStringLiteral("\"2,500\" in line 2 is 2.500 or 2500")));
  s.choose(QStringLiteral("importDecimal"), QStringLiteral("one and a bit"));
  REQUIRE(s.ready());
  CHECK(s.find<QLabel>("importFigures")->text().contains(QString::fromUtf8("3.500\u2009µA")));
  s.choose(QStringLiteral("importDecimal"), QStringLiteral("a thousand and a bit"));
  REQUIRE(s.wait([&] {
    return s.page()->ready() &&
           s.find<QLabel>("importFigures")->text().contains(QString::fromUtf8("3.500\u2009mA"));
  }));
  // Counted samples: how far apart?
  s.drop({data("refused-no-rate.csv")});
  REQUIRE(s.wait([&] { return !s.trouble().isEmpty(); }));
  auto* rate = s.find<QLineEdit>("importRate");
  rate->setText(QStringLiteral("10 Hz"));
  QTest::keyClick(rate, Qt::Key_Return);
  REQUIRE(s.ready());
  CHECK(s.find<QLabel>("importFigures")->text().contains(QStringLiteral("2 samples in 100")));
  QTest::keyClick(s.page(), Qt::Key_Escape);
  CHECK_FALSE(s.page()->isVisible());
  CHECK(s.rows().empty());
}

TEST_CASE("a drop over a shunt is read as its current") {
  Importing s;
  s.drop({data("two-voltages-swapped.csv")});
  REQUIRE(s.ready());
  auto* shunt = s.find<QLineEdit>("importShunt");
  shunt->setText(QStringLiteral("10 Ohm"));
  QTest::keyClick(shunt, Qt::Key_Return);
  REQUIRE(s.wait([&] {
    return s.page()->ready() &&
           s.find<QLabel>("importFigures")->text().contains(QString::fromUtf8("mean of I 3.000"));
  }));
  CHECK(s.find<QLabel>("importFound")->text().contains(QStringLiteral("higher than that of")));
}

TEST_CASE("logs are imported without a book too, into a new one; what is no log says so") {
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.openFile(data("plain.csv"));
  auto* page = window.findChild<ImportPage*>();
  REQUIRE(test::wait_for([&] { return page->ready(); }));
  QTest::keyClick(window.findChild<QLineEdit*>(QStringLiteral("importBuild")), Qt::Key_Return);
  REQUIRE(test::wait_for(
      [&] { return window.session().book() && window.session().book()->rows.size() == 1; }));
  CHECK(window.session().path().endsWith(QStringLiteral("Imported.kuvio")));
  const test::Folder folder;
  window.openFile(QString::fromStdString(folder.write("p.csv", std::string("\x89PNG\0\0\r\n", 8))));
  auto* trouble = window.findChild<QLabel*>(QStringLiteral("importTrouble"));
  REQUIRE(test::wait_for([&] { return !trouble->text().isEmpty(); }));
  CHECK(trouble->text().contains(QStringLiteral("binary")));
}
