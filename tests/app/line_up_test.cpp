// SPDX-License-Identifier: GPL-3.0-or-later
// Captures lined up, and what leaves the window: pictures and samples.

#include "app/engine/trace_views.h"
#include "book/channel_trace.h"

#include "rich_fixture.h"

#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QPushButton>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

struct TwoCaptures : RichWindow {
  TwoCaptures() {
    tick(1);
    REQUIRE(wait([&] { return view().shown()->captures.size() == 2; }));
    run("lineUp");
    margin = child<LineUpMargin>("lineUpMargin");
    REQUIRE(wait([&] { return view().moving().has_value(); }));
    settle();
  }
  double offset() { return view().shown()->captures[1]->offset_s; }
  bool lies(double wanted, double margin_s = 1e-9) {
    return wait([&] { return std::fabs(offset() - wanted) <= margin_s; });
  }
  LineUpMargin* margin;
};

}  // namespace

TEST_CASE("the automatic line-up finds the offset within a sample, undone, redone, kept") {
  TwoCaptures s;
  s.child<QPushButton>("lineUpAuto")->click();
  REQUIRE(s.lies(Rich::kShift, 1e-3));
  CHECK(s.margin->status().contains(QStringLiteral("confidence")));
  s.settle();
  const Curve *a = s.lanes->curve(0, 0), *b = s.lanes->curve(0, 1);
  REQUIRE(a);
  REQUIRE(b);
  CHECK(s.view().end() == Approx(Rich::kLength + Rich::kShift).margin(0.01));
  s.lanes->setFocus();
  QTest::keyClick(s.window.get(), Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.lies(0));
  QTest::keyClick(s.window.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  REQUIRE(s.lies(Rich::kShift, 1e-3));
  // Kept with the book.
  s.open();
  REQUIRE(s.wait([&] { return s.view().shown() && s.view().shown()->captures.size() == 2; }));
  CHECK(s.offset() == Approx(Rich::kShift).margin(1e-3));
}

TEST_CASE("captures that have nothing in common are left alone, with the reason") {
  RichWindow s;
  s.tick(2);
  REQUIRE(s.wait([&] { return s.view().shown()->captures.size() == 2; }));
  s.run("lineUp");
  auto* margin = s.child<LineUpMargin>("lineUpMargin");
  s.child<QPushButton>("lineUpAuto")->click();
  REQUIRE(
      s.wait([&] { return margin->status().startsWith(QStringLiteral("Not lined up")); }, 20000));
  CHECK(s.view().shown()->captures[1]->offset_s == 0);
}

TEST_CASE("an offset that is typed is pencil until Enter, and Escape takes it back") {
  TwoCaptures s;
  auto* offset = s.child<QLineEdit>("lineUpOffset");
  const QString was = offset->text();
  offset->setFocus();
  offset->selectAll();
  QTest::keyClicks(offset, QStringLiteral("2 s"));
  CHECK(offset->font().italic());
  CHECK(s.view().shown()->captures[1]->offset_s == 0);
  QTest::keyClick(offset, Qt::Key_Escape);
  CHECK(offset->text() == was);
  CHECK_FALSE(offset->font().italic());
  offset->selectAll();
  QTest::keyClicks(offset, QStringLiteral("2 s"));
  QTest::keyClick(offset, Qt::Key_Return);
  REQUIRE(s.lies(2, 1e-6));
  CHECK_FALSE(offset->font().italic());
}

TEST_CASE("captures are dragged over each other, typed, laid by entries and log lines") {
  TwoCaptures s;
  // A drag over the lanes moves the second instead of marking a span.
  const QPoint from = s.at(20), to = s.at(24);
  const double wanted = s.lanes->timeAt(to.x()) - s.lanes->timeAt(from.x());
  s.drag(from, to);
  REQUIRE(s.lies(wanted, 1e-6));
  CHECK_FALSE(s.view().span());
  CHECK(s.margin->status().contains(QStringLiteral("manual")));
  auto* offset = s.child<QLineEdit>("lineUpOffset");
  offset->setText(QStringLiteral("soon"));
  QTest::keyClick(offset, Qt::Key_Return);
  CHECK(s.margin->status().contains(QStringLiteral("Nothing was moved")));
  offset->setText(QStringLiteral("-1.5 s"));
  QTest::keyClick(offset, Qt::Key_Return);
  REQUIRE(s.lies(-1.5));
  auto* line = s.child<QLineEdit>("lineUpLine");
  line->setText(QStringLiteral("radio on 1[26]"));
  s.child<QPushButton>("lineUpByLine")->click();
  REQUIRE(s.lies(Rich::kShift));  // the same line, stamped so much earlier
  line->setText(QStringLiteral("never said"));
  s.child<QPushButton>("lineUpByLine")->click();
  CHECK(s.margin->status().contains(QStringLiteral("fewer than")));
  auto* state = s.child<QComboBox>("lineUpState");
  state->setCurrentText(QStringLiteral("Busy"));
  s.child<QSpinBox>("lineUpEntry")->setValue(3);
  s.child<QPushButton>("lineUpByEntry")->click();
  const auto entries = [](const CaptureView& c) {
    std::vector<double> out;
    for (std::size_t i = 1; i < c.visits.size(); ++i) {
      if (c.visits[i].visit.state == "Busy" && c.visits[i - 1].visit.state != kMissing)
        out.push_back(c.visits[i].visit.from_s);
    }
    return out;
  };
  const auto& shown = s.view().shown()->captures;
  REQUIRE(s.lies(entries(*shown[0])[2] - entries(*shown[1])[2]));
  s.child<QPushButton>("lineUpBack")->click();
  REQUIRE(s.lies(0));
  // Another page of the margin: drags mark spans again.
  s.run("showLog");
  CHECK_FALSE(s.view().moving());
  s.drag(s.at(20), s.at(24));
  CHECK(s.view().span());
}

TEST_CASE("captures get lanes of their own and lie over each other again") {
  TwoCaptures s;
  s.run("capturesApart");
  CHECK(s.lanes->laneNames().size() == 6);
  s.settle();
  CHECK(s.lanes->curve(0, 0));
  CHECK_FALSE(s.lanes->curve(0, 1));
  CHECK(s.lanes->curve(1, 1));
  s.run("capturesApart");
  CHECK(s.lanes->laneNames().size() == 3);
}

TEST_CASE("what is seen is saved as PDF, SVG and PNG, or the reason is told") {
  RichWindow s;
  s.drag(s.at(5), s.at(15));
  s.settle();
  auto* desk = s.window->findChild<TraceDesk*>(QStringLiteral("traceDesk"));
  QString told;
  QObject::connect(desk, &Desk::messageReported, desk,
                   [&](const Message& said) { told = said.text; });
  const auto saved = [&](const char* name) {
    const std::string path = s.made.folder / name;
    told.clear();
    desk->savePicture(QString::fromStdString(path));
    REQUIRE(s.wait([&] { return !told.isEmpty(); }));
    QFile file(QString::fromStdString(path));
    return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
  };
  const QByteArray pdf = saved("seen.pdf"), svg = saved("seen.svg"), png = saved("seen.PNG");
  CHECK(pdf.startsWith("%PDF-"));
  CHECK(pdf.size() > 5000);
  CHECK(svg.contains("<svg"));
  CHECK(svg.contains("first"));     // the title
  CHECK(svg.contains("polyline"));  // lines, not a picture of them
  const QImage image = QImage::fromData(png, "PNG");
  CHECK(image.width() == 3 * (s.lanes->width() + 16));
  CHECK(saved("seen.bmp").isEmpty());
  CHECK(told.contains(QStringLiteral(".pdf, .svg or .png")));
  QString failure;
  QObject::connect(&s.window->session(), &Session::failed, desk,
                   [&](const QString& message) { failure = message; });
  desk->savePicture(QStringLiteral("/nowhere/at/all.png"));
  REQUIRE(s.wait([&] { return !failure.isEmpty(); }));
  CHECK(failure.contains(QStringLiteral("/nowhere/at/all.png")));
}

TEST_CASE("samples leave as a table that reads back, with their gaps named") {
  RichWindow s;
  auto* desk = s.window->findChild<TraceDesk*>(QStringLiteral("traceDesk"));
  QString told;
  QObject::connect(desk, &Desk::messageReported, desk,
                   [&](const Message& said) { told = said.text; });
  const std::string path = s.made.folder / "samples.csv";
  desk->saveSamples(QString::fromStdString(path), 29.5, 41);
  REQUIRE(s.wait([&] { return !told.isEmpty(); }));
  CHECK(told.contains(QStringLiteral("V")));  // its gaps are others: left out, and told
  std::ifstream in(path);
  std::string line;
  while (std::getline(in, line) && line.starts_with('#')) {
  }
  CHECK(line == "time_s,I_A");
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.find("first").channels.front());
  int rows = 0, gaps = 0;
  bool over_range = false;
  while (std::getline(in, line)) {
    if (line.front() == '#') {
      gaps += line.starts_with("# gap") ? 1 : 0;
      over_range = over_range || line.find("over range") != std::string::npos;
      continue;
    }
    ++rows;
    const double t = std::stod(line), v = std::stod(line.substr(line.find(',') + 1));
    CHECK(static_cast<float>(v) == static_cast<float>(*value_at(trace, t + 1e-6)));
  }
  CHECK(gaps == 2);
  CHECK(over_range);
  CHECK(rows == 500 + 9000 + 951);
}

TEST_CASE("a span's figures copy as a table") {
  RichWindow s;
  s.drag(s.at(5), s.at(15));
  s.lanes->setFocus();
  const double from = s.view().span()->first;
  REQUIRE(s.wait([&] { return s.window->readOut().contains(QStringLiteral("→")); }));
  // Figures of a part of the drag may still be what is there.
  QStringList rows;
  const auto copied = [&] {
    QApplication::clipboard()->clear();
    s.key(Qt::Key_T, Qt::ControlModifier | Qt::ShiftModifier);
    rows = QApplication::clipboard()->text().split(QLatin1Char('\n'));
    return rows.size() == 3;
  };
  REQUIRE(s.wait([&] {
    return copied() &&
           rows[1].split(QLatin1Char(
               '\t'))[rows[0].split(QLatin1Char('\t')).indexOf(QStringLiteral("samples"))]
                   .toInt() > 9000;
  }));
  const QStringList names = rows[0].split(QLatin1Char('\t')),
                    cells = rows[1].split(QLatin1Char('\t'));
  REQUIRE(names.size() == cells.size());
  CHECK(cells[names.indexOf(QStringLiteral("from_s"))].toDouble() == Approx(from));
  CHECK(cells[names.indexOf(QStringLiteral("samples"))].toInt() > 9000);
}
