// SPDX-License-Identifier: GPL-3.0-or-later
// The budget's table with few and many builds, short and long names, narrow and wide: nothing that
// stands in a cell reaches into another, and no number is cut.

#include "app/budget/limits_model.h"
#include "app/engine/desk_views.h"
#include "app/style/theme.h"
#include "formats/phrases.h"

#include "desk_fixture.h"

#include <QHeaderView>
#include <QPainter>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

struct Judged {
  std::shared_ptr<Budget> budget = std::make_shared<Budget>();
  std::shared_ptr<BudgetView> view = std::make_shared<BudgetView>();

  Judged(int builds, int letters) {
    budget->name = "Limits";
    budget->limits.resize(3);
    for (Limit& l : budget->limits) {
      l.state = "Sleep";
      l.max = 4e-6;
    }
    view->budget = budget;
    view->text = "budget";
    for (int i = 0; i < builds; ++i) {
      std::string name = "firmware-release-with-a-long-name-that-goes-on-and-on-and-further";
      name = name.substr(0, static_cast<std::size_t>(std::max(1, letters - 3))) + "-" +
             std::to_string(i);
      view->builds.push_back(name);
      view->troubles.emplace_back();
      CheckResult result;
      for (const Limit& l : budget->limits) {
        LimitResult r;
        r.limit = &l;
        r.measured = i % 2 ? 38.034e-6 : 3.127e-6;
        r.U = 0.055e-6;
        r.low = *r.measured - r.U;
        r.high = *r.measured + r.U;
        r.verdict = i % 3 == 0   ? Verdict::within
                    : i % 3 == 1 ? Verdict::outside
                                 : Verdict::too_close;
        result.limits.push_back(r);
      }
      view->results.push_back(result);
    }
  }
};

/// Whether a picture has anything but its ground in a stretch of columns.
bool is_blank(const QImage& picture, int from, int to) {
  const QRgb ground = picture.pixel(from, 1);
  for (int x = from; x < to; ++x) {
    for (int y = 0; y < picture.height(); ++y) {
      if (picture.pixel(x, y) != ground) return false;
    }
  }
  return true;
}

}  // namespace

TEST_CASE("cells of the budget never overlap, for 1 to 20 builds, 3 to 60 characters, any width") {
  Theme::apply(Theme::Kind::paper);
  for (const int builds : {1, 3, 7, 12, 20}) {
    for (const int letters : {3, 12, 40, 60}) {
      const Judged judged(builds, letters);
      LimitsModel model;
      model.setView(judged.view);
      REQUIRE(model.columnCount() == LimitsModel::FirstBuild + builds);
      QStringList titles;
      for (int i = 0; i < builds; ++i)
        titles << model.headerData(LimitsModel::FirstBuild + i, Qt::Horizontal, Qt::DisplayRole)
                      .toString();
      titles.removeDuplicates();
      CHECK(titles.size() == builds);
      for (const int width : {84, 96, 120, 180, 300}) {
        INFO(builds << " builds of " << letters << " letters, " << width << " pixels each");
        const GaugeDelegate delegate;
        for (int i = 0; i < builds; ++i) {
          // Painted into the middle of a picture three cells wide: what reaches out shows.
          QImage picture(3 * width, 44, QImage::Format_RGB32);
          picture.fill(Theme::current().ground());
          QPainter painter(&picture);
          QStyleOptionViewItem option;
          option.rect = QRect(width, 0, width, 44);
          delegate.paint(&painter, option, model.index(1, LimitsModel::FirstBuild + i));
          painter.end();
          CHECK(is_blank(picture, 0, width));
          CHECK(is_blank(picture, 2 * width, 3 * width));
          CHECK_FALSE(is_blank(picture, width, 2 * width));
        }
      }
    }
  }
}
