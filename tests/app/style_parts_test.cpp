// SPDX-License-Identifier: GPL-3.0-or-later
// The small parts that desks are made of, each by itself.

#include "app/style/cut_label.h"
#include "app/style/folding_splitter.h"
#include "app/style/notebook_style.h"
#include "app/style/pixels.h"
#include "app/style/plain_text.h"
#include "app/style/source_editor.h"
#include "app/style/theme.h"
#include "app/style/trace_sketch.h"
#include "app/style/verdict_text.h"
#include "core/level_scale.h"

#include <QLabel>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>

#include <catch2/catch.hpp>

#include <cmath>
#include <memory>

using namespace kuvio;
using namespace kuvio::app;

namespace {

/// Columns that carry anything but the ground.
std::vector<bool> inked(const QImage& image) {
  std::vector<bool> out(static_cast<std::size_t>(image.width()));
  for (int x = 0; x < image.width(); ++x) {
    for (int y = 0; y < image.height(); ++y)
      if (image.pixelColor(x, y) != QColor(Qt::white)) out[static_cast<std::size_t>(x)] = true;
  }
  return out;
}

std::vector<EnvelopeColumn> flat(std::size_t n, double level) {
  EnvelopeColumn c;
  c.lo = c.hi = level;
  c.any = true;
  return std::vector(n, c);
}

QImage sketch(const std::vector<EnvelopeColumn>& columns) {
  QImage image(static_cast<int>(columns.size()), 60, QImage::Format_RGB32);
  image.fill(Qt::white);
  QPainter painter(&image);
  paint_sketch(painter, QRectF(image.rect()), columns, Qt::black);
  return image;
}

/// The rows that a column of a sketch reaches over.
std::pair<int, int> rows(const QImage& image, int x) {
  int first = -1, last = -1;
  for (int y = 0; y < image.height(); ++y) {
    if (image.pixelColor(x, y) == QColor(Qt::white)) continue;
    if (first < 0) first = y;
    last = y;
  }
  return {first, last};
}

}  // namespace

TEST_CASE("a sentence without room is cut at its end, whole on hover, and clicked only if there") {
  CutLabel label(QStringLiteral("one"), nullptr);
  label.show();
  QSignalSpy clicks(&label, &CutLabel::clicked);
  QTest::mouseClick(&label, Qt::LeftButton);
  CHECK(clicks.isEmpty());  // there is nothing to click
  const QString text = QStringLiteral("Recording run 7: 2:50 of 10:00, mean 61.2 µA");
  label.say(text, Qt::black);
  CHECK(label.minimumSizeHint().width() == 0);
  const auto painted = [&](int width) {
    label.resize(width, label.sizeHint().height());
    QPixmap there(label.size());
    there.fill(Qt::white);
    label.render(&there, {}, {}, QWidget::DrawChildren);
    return there.toImage();
  };
  const int whole = label.sizeHint().width();
  // What fits is not cut: its last letters stand where the hint says it ends.
  const auto all = inked(painted(whole + 40));
  CHECK(std::count(all.begin() + whole - 8, all.begin() + whole, true) > 0);
  CHECK(std::count(all.begin() + whole, all.end(), true) == 0);
  // Cut, the ellipsis stands before the edge.
  const auto cut = inked(painted(whole / 2));
  CHECK(std::count(cut.end() - 12, cut.end(), true) > 0);
  CHECK(label.toolTip() == text);
  CHECK(label.accessibleDescription() == text);
  QTest::mouseClick(&label, Qt::LeftButton);
  CHECK(clicks.size() == 1);
  QTest::mouseClick(&label, Qt::RightButton);
  CHECK(clicks.size() == 1);
}

TEST_CASE("a sketch reaches down to where it rests, not to moments of nothing") {
  auto columns = flat(100, 1e-6);
  for (std::size_t i = 0; i < 4; ++i) columns[i * 20].lo = columns[i * 20].hi = 1e-9;
  CHECK(quiet_level(columns) == Approx(1e-6));
  columns[90].lo = columns[90].hi = 1e-9;  // more than 4 % are no few
  CHECK(quiet_level(columns) == Approx(1e-9));
  CHECK(quiet_level(flat(10, -1e-3)) == 0);
  CHECK(quiet_level({}) == 0);
}

TEST_CASE("a sketch leaves gaps open, and has room for what flows back") {
  CHECK(sketch(flat(40, 0)) == sketch(flat(40, -0.0)));
  const auto none = inked(sketch(flat(40, 0)));
  CHECK(std::count(none.begin(), none.end(), true) == 0);
  auto columns = flat(60, 1e-3);
  for (std::size_t i = 20; i < 30; ++i) {
    columns[i].any = false;
    columns[i].missing = true;
  }
  const auto ink = inked(sketch(columns));
  for (std::size_t i = 0; i < 60; ++i) CHECK(ink[i] == (i < 20 || i >= 30));

  auto both = flat(60, 1e-3);
  for (std::size_t i = 30; i < 60; ++i) both[i].lo = both[i].hi = -1e-3;
  const QImage image = sketch(both);
  // As far below zero as above: the same distance from the middle.
  CHECK(rows(image, 10).second < 30);
  CHECK(rows(image, 50).first > 30);
  CHECK(rows(image, 10).first + rows(image, 50).second == Approx(59).margin(2));
}

TEST_CASE("a trace of few samples is sketched as lines between instants, steps of averages") {
  const auto drawn = [](SampleKind kind, double first, double then) {
    MemoryTrace trace(kind, TimeBase{1, 1});
    trace.append(0, 1, std::vector<double>{first, then, then});
    QImage image(301, 41, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter painter(&image);
    paint_sketch(painter, QRectF(0, 0, 300, 40), envelope(trace, trace.from_s(), trace.to_s(), 150),
                 Qt::black, SketchScale::straight);
    return image;
  };
  // Straight up from the least at the bottom to the most, over half the time of three instants.
  const QImage line = drawn(SampleKind::instant, 3.60, 3.66);
  CHECK(rows(line, 75).first == Approx(20).margin(3));
  CHECK(rows(line, 200).second <= 1);
  const QImage steps = drawn(SampleKind::averaged, 3.60, 3.66);
  CHECK(rows(steps, 80).first >= 38);
  CHECK(rows(steps, 120).second <= 1);
}

TEST_CASE("a sketch goes on between samples that are further apart than its columns") {
  std::vector<EnvelopeColumn> columns = flat(60, 1e-3);
  for (std::size_t i = 0; i < columns.size(); ++i) columns[i].any = i % 6 == 0;
  const QImage apart = sketch(columns);
  columns[33].missing = true;
  const QImage open = sketch(columns);
  int gaps = 0, left_open = 0;
  for (int i = 0; i < 54; ++i) {
    gaps += rows(apart, i).first < 0;
    left_open += rows(open, i).first < 0;
  }
  CHECK(gaps == 0);
  CHECK(left_open >= 5);  // the gap stays one
}

TEST_CASE("a level a decade lower is a decade lower in the sketch, whatever the span") {
  auto columns = flat(90, 1e-3);
  for (std::size_t i = 30; i < 60; ++i) columns[i].lo = columns[i].hi = 1e-4;
  for (std::size_t i = 60; i < 90; ++i) columns[i].lo = columns[i].hi = 1e-5;
  const QImage image = sketch(columns);
  const int top = rows(image, 15).first, middle = rows(image, 45).first,
            foot = rows(image, 75).first;
  CHECK(middle - top == Approx(foot - middle).margin(1));
  CHECK(foot > 50);
}

TEST_CASE("text out of a book is shown as it stands, whatever it looks like") {
  PlainText::insist();
  PlainText::insist();  // once is enough, twice does no harm
  QLabel label(QStringLiteral("<b>Sleep</b><img src='file:///etc/hostname'>"));
  label.show();
  CHECK(label.textFormat() == Qt::PlainText);
  QLabel plain(QStringLiteral("x"));
  plain.show();
  QFontMetrics metrics(label.font());
  CHECK(label.sizeHint().width() >= metrics.horizontalAdvance(label.text()));
}

TEST_CASE("a verdict is a sign and a word, each its own") {
  CHECK(verdict_text(Verdict::within) == QStringLiteral("✓ within"));
  CHECK(verdict_text(Verdict::outside) == QStringLiteral("✗ outside"));
  CHECK(verdict_text(Verdict::too_close) == QStringLiteral("≈ too close"));
  CHECK(verdict_text(Verdict::no_data) == QStringLiteral("– no data"));
}

TEST_CASE("buttons of the notebook show where the keyboard is, primary ones too") {
  for (const bool primary : {false, true}) {
    QWidget window;
    auto* style = new NotebookStyle;
    style->setParent(&window);
    QPushButton one(QStringLiteral("Record"), &window), other(QStringLiteral("Other"), &window);
    for (QPushButton* b : {&one, &other}) b->setStyle(style);
    one.setProperty("primary", primary);
    one.setGeometry(10, 10, 120, 32);
    other.setGeometry(10, 60, 120, 32);
    window.resize(200, 120);
    window.show();
    window.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&window));
    other.setFocus();
    const QImage without = one.grab().toImage();
    one.setFocus();
    const QImage with = one.grab().toImage();
    int differ = 0;
    for (int y = 0; y < with.height(); ++y)
      for (int x = 0; x < with.width(); ++x) {
        const QColor a = with.pixelColor(x, y), b = without.pixelColor(x, y);
        differ += std::abs(a.red() - b.red()) + std::abs(a.green() - b.green()) +
                      std::abs(a.blue() - b.blue()) >
                  90;
      }
    INFO("primary " << primary);
    CHECK(differ > 200);  // a ring around 120 × 32 pixels has about 300
  }
}

TEST_CASE("the text of a file keeps its caret while it stays the same, and says what is wrong") {
  SourceEditor editor(QStringLiteral("duty"), QStringLiteral("Duty plan"), nullptr);
  editor.setText(QStringLiteral("a = 1\nb = 2\n"));
  auto* text = editor.findChild<QPlainTextEdit*>(QStringLiteral("dutySource"));
  REQUIRE(text);
  QTextCursor caret = text->textCursor();
  caret.setPosition(7);
  text->setTextCursor(caret);
  text->insertPlainText(QStringLiteral("b"));
  editor.setText(editor.text());  // looked at again: what is typed stays, caret and undo too
  CHECK(text->textCursor().position() == 8);
  CHECK(text->document()->isUndoAvailable());
  QSignalSpy applied(&editor, &SourceEditor::applied);
  editor.findChild<QPushButton*>(QStringLiteral("dutyApplyText"))->click();
  REQUIRE(applied.size() == 1);
  CHECK(applied.front().front().toString() == QStringLiteral("a = 1\nbb = 2\n"));
  editor.setTrouble(QStringLiteral("plan.duty.toml:2: no key \"bb\""));
  CHECK(editor.findChild<QLabel*>(QStringLiteral("dutyError"))
            ->text()
            .contains(QStringLiteral(":2:")));
}

TEST_CASE("a side part folds where there is no room, comes back with it, and heeds who asks") {
  FoldingSplitter parts(260, 880, nullptr);
  parts.addWidget(new QWidget);
  parts.addWidget(new QWidget);
  parts.setStretchFactor(0, 1);
  parts.resize(1100, 400);
  parts.setSizes({840, 260});
  parts.show();
  CHECK(parts.isSideOpen());
  parts.resize(840, 400);
  QCoreApplication::processEvents();
  CHECK_FALSE(parts.isSideOpen());
  CHECK(parts.handle(1)->isVisible());
  parts.resize(1100, 400);
  QCoreApplication::processEvents();
  CHECK(parts.isSideOpen());
  // Opened by hand where it is narrow it stays, also when it gets narrower still.
  parts.resize(840, 400);
  QCoreApplication::processEvents();
  QTest::mouseClick(parts.handle(1), Qt::LeftButton);
  CHECK(parts.isSideOpen());
  parts.resize(820, 400);
  QCoreApplication::processEvents();
  CHECK(parts.isSideOpen());
  // Folded by hand it stays folded, whatever room comes.
  QTest::mouseClick(parts.handle(1), Qt::LeftButton);
  CHECK_FALSE(parts.isSideOpen());
  parts.resize(1400, 400);
  QCoreApplication::processEvents();
  CHECK_FALSE(parts.isSideOpen());
}

TEST_CASE("what folded by itself is kept as open: a day on a small screen takes nothing away") {
  const auto made = [] {
    auto parts = std::make_unique<FoldingSplitter>(260, 880, nullptr);
    parts->addWidget(new QWidget);
    parts->addWidget(new QWidget);
    parts->setStretchFactor(0, 1);
    parts->resize(1100, 400);
    parts->setSizes({840, 260});
    parts->show();
    return parts;
  };
  const auto kept_by = [&](FoldingSplitter& parts) {
    const QByteArray kept = parts.saveParts();
    const auto next = made();
    next->restoreState(kept);
    return next->isSideOpen();
  };
  const auto parts = made();
  parts->resize(840, 400);
  QCoreApplication::processEvents();
  REQUIRE_FALSE(parts->isSideOpen());
  CHECK(kept_by(*parts));
  parts->resize(1100, 400);
  QCoreApplication::processEvents();
  parts->setSideOpen(false);  // by hand
  CHECK_FALSE(kept_by(*parts));
}

TEST_CASE("lengths that belong to text grow with it, within reason") {
  const Px high{30};
  const PxF wide{7};
  CHECK(high == 30);
  set_text_scale(1.5);
  CHECK(high == 45);
  CHECK(wide == 10.5);
  CHECK(is_cramped());
  CHECK(Theme::baseFont(12).pixelSize() == 18);
  for (const auto& [wanted, scale] : {std::pair{9.0, 2.0}, {0.2, 1.0}, {NAN, 1.0}}) {
    set_text_scale(wanted);
    CHECK(text_scale() == scale);
  }
  set_text_scale(1);
  CHECK_FALSE(is_cramped());
}
