// SPDX-License-Identifier: GPL-3.0-or-later
// What the Trace desk is put together from: the read-out, the strip of the whole, what lies over
// the lanes, pictures, and the two dialogs of a lane.

#include "app/style/widgets.h"
#include "app/trace/curves.h"
#include "app/trace/lane_dialogs.h"
#include "app/trace/marks.h"
#include "app/trace/overview.h"
#include "app/trace/read_out.h"
#include "app/trace/trace_picture.h"

#include "rich_fixture.h"

#include <QDialogButtonBox>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

std::string joined(const std::vector<FootPart>& parts) {
  std::string out;
  for (const FootPart& p : parts) out += p.text.toStdString() + " | ";
  return out;
}

}  // namespace

TEST_CASE("the read-out says a visit's own figures, and counts no samples that nobody counted") {
  auto capture = std::make_shared<CaptureView>();
  capture->info.name = "run";
  capture->channel.accuracy = "1 %";
  VisitFigures v;
  v.visit.state = "Uplink";
  v.visit.from_s = 10;
  v.visit.to_s = 12;
  v.observed_s = 2;
  v.charge = 0.12;  // 60 mA for 2 s
  v.mean = 0.06;
  v.peak = 0.1;
  v.least = 0.02;
  v.bounds.lower = true;  // some of it was over range
  capture->visits = {v};
  ViewState view;
  auto shown = std::make_shared<ShownCaptures>();
  shown->captures = {capture};
  view.setShown(shown);
  view.pickVisit(0);
  const auto parts = read_out(view, {}, ChargeUnit::coulomb);
  const std::string text = joined(parts);
  CHECK_THAT(text, Catch::Contains("Uplink"));
  CHECK_THAT(text, Catch::Contains("(2.000"));
  CHECK_THAT(text, Catch::Contains("≥\u200960") || Catch::Contains("≥ 60"));
  CHECK_THAT(text, Catch::Contains("120"));
  for (const FootPart& p : parts) {
    INFO(p.how.toStdString());
    CHECK_FALSE(p.how.contains(QStringLiteral("1 samples")));
  }
  CHECK(std::any_of(parts.begin(), parts.end(), [](const FootPart& p) {
    return p.how.contains(QStringLiteral("some samples over range"));
  }));
}

TEST_CASE("values under the pointer: the current first, gaps as a dash, the rest counted") {
  MomentsReading reading;
  reading.moments = {31.5};
  reading.channels = {{"V", "V", {3.587}},
                      {"I", "A", {7.01e-3}},
                      {"radio", "", {1.0}},
                      {"T", "degC", {std::nullopt}}};
  const QString text = instant_text(reading, 0, 10, "I");
  CHECK(text.contains(QStringLiteral("7.010")));
  CHECK(text.indexOf(QStringLiteral("7.010")) < text.indexOf(QStringLiteral("3.587")));
  CHECK(text.endsWith(QStringLiteral(" +1")));  // radio; what has no value there is left out
  reading.channels[1].values = {std::nullopt};
  CHECK(instant_text(reading, 0, 10, "I").contains(QStringLiteral("–")));
}

TEST_CASE("the strip of the whole frames what is shown; dragged it pans, elsewhere it goes there") {
  RichWindow w;
  auto* strip = w.child<Overview>("overview");
  w.view().show(20, 30);
  const QRectF frame = strip->frameRect();
  const double room = strip->width() - kLaneLeft - kLaneRight;
  CHECK(frame.width() == Approx(room / 6).margin(1));
  CHECK(frame.left() == Approx(kLaneLeft + room / 3).margin(1));
  const auto press = [&](double x, double to) {
    const QPoint from(static_cast<int>(x), 20), end(static_cast<int>(to), 20);
    QTest::mousePress(strip, Qt::LeftButton, {}, from);
    QMouseEvent move(QEvent::MouseMove, QPointF(end), strip->mapToGlobal(QPointF(end)),
                     Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(strip, &move);
    QTest::mouseRelease(strip, Qt::LeftButton, {}, end);
  };
  press(frame.center().x(), frame.center().x() + room / 10);
  CHECK(w.view().from() == Approx(26).margin(0.2));
  CHECK(w.view().to() - w.view().from() == Approx(10));
  press(kLaneLeft + room * 0.05, kLaneLeft + room * 0.05);
  CHECK(w.view().from() == Approx(0).margin(0.01));  // the middle would lie before the start
  CHECK(w.view().to() - w.view().from() == Approx(10));
  press(kLaneLeft + room, kLaneLeft + room + 500);
  CHECK(w.view().to() == Approx(60).margin(0.01));
  w.view().show(30, 30.001);
  CHECK(strip->frameRect().width() >= 3);  // however little is shown, it can be seen
}

TEST_CASE("marks over the lanes cover all of them, and a span is seen where it lies") {
  RichWindow w;
  w.settle();
  const QRectF box = lanesBox(*w.lanes);
  CHECK(box.left() == Approx(w.lanes->laneRect(0).left()).margin(1));
  for (int i = 0; i < static_cast<int>(w.lanes->laneNames().size()); ++i)
    CHECK(box.adjusted(-1, -1, 1, 1).contains(QRectF(w.lanes->laneRect(i))));
  const QImage before = w.lanes->grab().toImage();
  w.view().setSpan(20, 40);
  w.settle();
  QTest::qWait(50);
  const QImage after = w.lanes->grab().toImage();
  const int y = w.lanes->laneRect(0).center().y();
  int inside = 0, outside = 0;
  for (int x = static_cast<int>(box.left()) + 1; x < box.right(); ++x) {
    if (before.pixel(x, y) == after.pixel(x, y)) continue;
    const double t = w.lanes->timeAt(x);
    (t > 19.8 && t < 40.2 ? inside : outside)++;
  }
  CHECK(inside > box.width() / 4);
  CHECK(outside == 0);
}

TEST_CASE("a curve paints what its frame holds, and leaves out what is not observed") {
  QCustomPlot plot;
  plot.resize(400, 200);
  plot.xAxis->setRange(0, 10);
  plot.yAxis->setRange(0, 2);
  auto* curve = new CurvePlottable(plot.xAxis, plot.yAxis);
  auto frame = std::make_shared<Frame>();
  frame->from_s = 0;
  frame->to_s = 10;
  frame->lanes.resize(1);
  frame->lanes[0].curves.resize(1);
  Curve& c = frame->lanes[0].curves[0];
  c.from_s = 0;
  c.to_s = 10;
  c.columns.resize(1000);
  for (std::size_t i = 0; i < c.columns.size(); ++i) {
    c.columns[i].any = i < 400 || i >= 600;  // a gap of two seconds
    c.columns[i].lo = c.columns[i].hi = 1;
  }
  curve->setCurve(frame, &frame->lanes[0].curves[0]);
  const auto painted = [&] {
    const QImage image = plot.toPixmap(400, 200).toImage();
    const QRect inside = plot.axisRect()->rect();
    const int y = static_cast<int>(std::lround(plot.yAxis->coordToPixel(1)));
    std::vector<bool> out;
    for (double t = 0.25; t < 10; t += 0.5) {
      const int x = static_cast<int>(std::lround(plot.xAxis->coordToPixel(t)));
      bool ink = false;
      for (int dy = -2; dy <= 2; ++dy) {
        const QColor p = image.pixelColor(x, y + dy);
        ink |= p.lightness() < 140;
      }
      out.push_back(ink && inside.contains(x, y));
    }
    return out;
  };
  const auto with = painted();
  for (std::size_t i = 0; i < with.size(); ++i) {
    const double t = 0.25 + 0.5 * static_cast<double>(i);
    INFO(t);
    CHECK(with[i] == (t < 4 || t > 6));
  }
  curve->setCurve(nullptr, nullptr);
  const auto without = painted();
  CHECK(std::none_of(without.begin(), without.end(), [](bool b) { return b; }));
}

TEST_CASE("a picture of the traces is what its name says, with title and foot in it") {
  RichWindow w;
  w.settle();
  const auto of = [&](const char* name) {
    return picture_of_traces(QLatin1String(name), *w.lanes, nullptr, QStringLiteral("Run <7>"),
                             QStringLiteral("mean & more"));
  };
  const QByteArray svg = of("a.svg");
  QXmlStreamReader xml(svg);
  QString text;
  while (!xml.atEnd()) {
    xml.readNext();
    if (xml.isCharacters()) text += xml.text();
  }
  CHECK_FALSE(xml.hasError());
  CHECK(text.contains(QStringLiteral("Run <7>")));
  CHECK(text.contains(QStringLiteral("mean & more")));
  CHECK(of("a.PDF").startsWith("%PDF-"));
  QImage png;
  REQUIRE(png.loadFromData(of("a.png"), "PNG"));
  CHECK(png.width() >= 3 * w.lanes->width());
  CHECK(of("a.bmp").isEmpty());
}

TEST_CASE("the ends of an axis are typed with units, either sign, the second above the first") {
  double low = 0, high = 0;
  int given = 0;
  auto* dialog = new AxisDialog(-2e-3, 12e-3, "A", nullptr);
  QObject::connect(dialog, &AxisDialog::given, [&](double a, double b) {
    low = a;
    high = b;
    ++given;
  });
  dialog->show();
  auto* foot = dialog->findChild<QLineEdit*>(QStringLiteral("axisLow"));
  auto* top = dialog->findChild<QLineEdit*>(QStringLiteral("axisHigh"));
  auto* accept = dialog->findChild<QPushButton*>(QStringLiteral("accept"));
  const auto enter = [&](const char* a, const char* b) {
    foot->setText(QString::fromUtf8(a));
    top->setText(QString::fromUtf8(b));
    accept->click();
  };
  for (const auto& [a, b] : {std::pair{"5 mA", "1 mA"}, std::pair{"1 mA", "1 mA"},
                             std::pair{"1 V", "2 V"}, std::pair{"", "1"}, std::pair{"nan", "1"}}) {
    enter(a, b);
    CHECK(given == 0);
    CHECK(dialog->isVisible());
  }
  enter("−5 mA", "0.02");
  CHECK(given == 1);
  CHECK(low == Approx(-5e-3));
  CHECK(high == Approx(0.02));

  double window_s = 0;
  auto* mean = new WindowDialog(0.1234, nullptr);
  QObject::connect(mean, &WindowDialog::given, [&](double s) { window_s = s; });
  mean->show();
  auto* field = mean->findChild<QuantityEdit*>(QStringLiteral("window"));
  CHECK(*field->quantity() == Approx(0.12));  // two digits: what people would type
  field->setText(QStringLiteral("0 s"));
  mean->findChild<QPushButton*>(QStringLiteral("accept"))->click();
  CHECK(window_s == 0);
  field->setText(QStringLiteral("250 ms"));
  mean->findChild<QPushButton*>(QStringLiteral("accept"))->click();
  CHECK(window_s == Approx(0.25));
}
