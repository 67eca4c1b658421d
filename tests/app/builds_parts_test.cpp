// SPDX-License-Identifier: GPL-3.0-or-later
// What the Builds desk shows, from views made by hand.

#include "app/builds/builds_desk.h"
#include "app/builds/difference_model.h"
#include "app/builds/typical_plot.h"
#include "app/engine/desk_views.h"
#include "app/lifetime/life_pictures.h"
#include "app/lifetime/lifetime_desk.h"
#include "app/style/theme.h"

#include "desk_fixture.h"

#include <QComboBox>
#include <QPainter>
#include <QTabBar>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

std::string cell(const DifferenceModel& m, int row, int column) {
  return m.data(m.index(row, column)).toString().toStdString();
}

/// Sleep went from 3 to 8 µA, Work stayed; Off was in both.
std::shared_ptr<BuildsView> two_builds() {
  auto view = std::make_shared<BuildsView>();
  view->reference = "1.0";
  view->candidate = "1.1";
  CompareRow off, sleep, work;
  off.state = "Off";
  off.reference_mean = off.candidate_mean = 0;
  sleep.state = "Sleep";
  sleep.reference_mean = 3e-6;
  sleep.candidate_mean = 8e-6;
  sleep.bridge = 4e-6;
  sleep.conclusion = Conclusion::higher;
  sleep.charge_per_visit.known = true;
  sleep.charge_per_visit.value = 36e-6;
  work.state = "Work";
  work.candidate_mean = 10e-3;
  view->comparison.rows = {off, sleep, work};
  view->comparison.reference_mean = 2e-3;
  view->comparison.candidate_mean = 2.004e-3;
  view->comparison.total.value = 4e-6;
  view->life_change = {std::nullopt, -86400.0 * 12, 0.0};
  return view;
}

}  // namespace

TEST_CASE(
    "the difference ledger has a row a state but Off, then the whole, in the unit asked for") {
  DifferenceModel model;
  CHECK(model.rowCount() == 0);
  model.setView(two_builds());
  REQUIRE(model.rowCount() == 3);
  CHECK(model.rowOf("Sleep") == 0);
  CHECK(model.rowOf("Work") == 1);
  CHECK(model.rowOf("Off") == -1);
  CHECK_THAT(cell(model, 0, DifferenceModel::Reference), Catch::Contains("3.000"));
  CHECK_THAT(cell(model, 0, DifferenceModel::PerVisit), Catch::Contains("+36"));
  model.setUnit(ChargeUnit::ampere_hour);
  CHECK_THAT(cell(model, 0, DifferenceModel::PerVisit), Catch::Contains("nAh"));  // 36 µC = 10 nAh
  CHECK_THAT(cell(model, 0, DifferenceModel::PerVisit), Catch::Contains("+10.0"));
  // Energies would need one voltage: the charge stays.
  model.setUnit(ChargeUnit::joule);
  CHECK_THAT(cell(model, 0, DifferenceModel::PerVisit), Catch::EndsWith("µC"));
  CHECK(cell(model, 0, DifferenceModel::Life) == "−12 d");
  CHECK(cell(model, 1, DifferenceModel::Life) == "0 d");
  CHECK(cell(model, 1, DifferenceModel::Reference) == "–");  // one side alone was in it
  CHECK(cell(model, 1, DifferenceModel::Interval) == "–");
  CHECK(cell(model, 2, DifferenceModel::State) == "As captured");
  CHECK_THAT(cell(model, 2, DifferenceModel::Bridge), Catch::Contains("+4"));
  CHECK(model.data(model.index(2, 0), Qt::FontRole).value<QFont>().weight() == QFont::DemiBold);
  CHECK_FALSE(model.data(model.index(3, 0)).isValid());
  model.setView(nullptr);
  CHECK(model.rowCount() == 0);
}

TEST_CASE("a typical visit says how many it stands for, and the builds' names are on no curve") {
  TypicalPlot plot;
  plot.resize(480, 300);
  plot.setView(nullptr, 0, 1);
  CHECK(plot.caption().isEmpty());
  auto view = std::make_shared<TypicalView>();
  view->state = "Uplink";
  view->reference = "2.3.0";
  view->candidate = "2.4.0-rc1";
  plot.setView(view, 0, 1);
  CHECK(plot.caption() == QStringLiteral("Uplink: no whole visit"));
  for (TypicalVisit* v : {&view->reference_visit, &view->candidate_visit}) {
    v->visits = 7;
    v->step_s = 0.01;
    v->steps.resize(100);
    // Flat and as high as the picture: where a name could lie on it.
    for (TypicalStep& s : v->steps) s.mean = s.low = s.high = 70e-3;
  }
  plot.setView(view, 0, 1);
  CHECK(plot.caption() == QStringLiteral("Uplink: mean of 7 and 7 visits, 10–90 % band"));
  const QImage image = plot.grab().toImage();
  const auto is_ink = [&](int x, int y) {
    const QColor c = image.pixelColor(x, y), ink = Theme::current().ink(0);
    return std::abs(c.red() - ink.red()) + std::abs(c.green() - ink.green()) +
               std::abs(c.blue() - ink.blue()) <
           120;
  };
  int curve = -1, above = 0, stray = 0;
  for (int y = 0; y < image.height(); ++y) {
    int n = 0;
    for (int x = 0; x < image.width(); ++x) n += is_ink(x, y);
    if (curve < 0 && n > image.width() / 8) curve = y;
    if (curve < 0) above += n;
  }
  REQUIRE(curve > 26);
  CHECK(above > 20);  // the name, in its line above the picture
  // Beside the curve nothing has its ink but the line down at its end.
  for (int y = 27; y < image.height() - 30; ++y) {  // without the axes' numbers
    for (int x = 70; x < image.width() - 60; ++x) stray += std::abs(y - curve) > 3 && is_ink(x, y);
  }
  CHECK(stray == 0);
}

TEST_CASE("the desk of builds and that of lives say what is missing, on a book without states") {
  Opened o(false);
  QTest::mouseClick(o.child<QPushButton>("deskBuilds"), Qt::LeftButton);
  REQUIRE(o.wait([&] { return o.window.findChild<BuildsDesk*>()->isVisible(); }));
  QTest::mouseClick(o.child<QPushButton>("deskLifetime"), Qt::LeftButton);
  auto* life = o.window.findChild<LifetimeDesk*>();
  REQUIRE(o.wait([&] { return life->isVisible(); }));
  QString said;
  for (auto* label : life->findChildren<QLabel*>())
    if (label->isVisible()) said += label->text() + QLatin1Char('\n');
  CHECK_THAT(said.toStdString(), Catch::Contains("Split a capture") || Catch::Contains("battery"));
}

TEST_CASE(
    "pictures of a life of which nothing is known hold nothing, and are no crash at any size") {
  LifePictures pictures(nullptr);
  pictures.show();
  for (const QSize size : {QSize(40, 30), QSize(1600, 900)}) {
    pictures.resize(size);
    pictures.setView(std::make_shared<LifeView>(), nullptr);
    pictures.repaintAll();
    CHECK_FALSE(pictures.grab().isNull());
  }
  auto view = std::make_shared<LifeView>();
  view->trouble = "no battery";
  pictures.setView(view, nullptr);
  CHECK(pictures.activity() == 0);
  CHECK_FALSE(pictures.grab().isNull());
}
