// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/gesture_sheet.h"

#include "app/style/notebook_table.h"
#include "app/style/theme.h"

#include <QLineEdit>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

struct Gesture {
  const char* what;
  const char* does;  ///< empty: `what` is a heading
};

constexpr Gesture kGestures[] = {
    {QT_TR_NOOP("Traces"), ""},
    {QT_TR_NOOP("wheel"), QT_TR_NOOP("zoom time at the pointer")},
    {QT_TR_NOOP("Shift + wheel"), QT_TR_NOOP("pan")},
    {QT_TR_NOOP("Ctrl + wheel"), QT_TR_NOOP("zoom the value axis under the pointer")},
    {QT_TR_NOOP("drag"), QT_TR_NOOP("mark a span; its ends are handles")},
    {QT_TR_NOOP("middle drag"), QT_TR_NOOP("pan")},
    {QT_TR_NOOP("click"), QT_TR_NOOP("select a visit")},
    {QT_TR_NOOP("double-click"), QT_TR_NOOP("zoom to a visit")},
    {QT_TR_NOOP("right-click"), QT_TR_NOOP("what can be done with span, visit and lane")},
    {QT_TR_NOOP("drag on an axis"), QT_TR_NOOP("pan time or values")},
    {QT_TR_NOOP("click on the time axis"), QT_TR_NOOP("clock times or seconds")},
    {QT_TR_NOOP("drag a lane's name"), QT_TR_NOOP("move the lane")},
    {QT_TR_NOOP("drag the line under a lane"), QT_TR_NOOP("share height between two lanes")},
    {QT_TR_NOOP("drag a cursor's number"), QT_TR_NOOP("move the cursor")},
    {QT_TR_NOOP("drag in the overview"), QT_TR_NOOP("move what is shown")},
    {QT_TR_NOOP("States and fan"), ""},
    {QT_TR_NOOP("drag an edge"), QT_TR_NOOP("move where one state ends and the next begins")},
    {QT_TR_NOOP("click a band"), QT_TR_NOOP("select its visit, row and log lines")},
    {QT_TR_NOOP("double-click a band"), QT_TR_NOOP("zoom to its visit")},
    {QT_TR_NOOP("click a ledger row"), QT_TR_NOOP("light up all visits of the state")},
    {QT_TR_NOOP("click a column's title"), QT_TR_NOOP("sort by it")},
    {QT_TR_NOOP("right-click a column's title"), QT_TR_NOOP("choose columns")},
    {QT_TR_NOOP("Recipe"), ""},
    {QT_TR_NOOP("drag a threshold"), QT_TR_NOOP("try another level; letting go sets it")},
    {QT_TR_NOOP("drag a rule by its number"), QT_TR_NOOP("let it take its samples before others")},
    {QT_TR_NOOP("Bench"), ""},
    {QT_TR_NOOP("click a station"), QT_TR_NOOP("open its drawer")},
    {QT_TR_NOOP("arrow keys on the wire"), QT_TR_NOOP("go from station to station")},
    {QT_TR_NOOP("wheel, + and −"), QT_TR_NOOP("show more or less of the last minutes")},
    {QT_TR_NOOP("drag on the paper"), QT_TR_NOOP("mark a span")},
    {QT_TR_NOOP("drag the trip limit"), QT_TR_NOOP("propose another; Enter sets it")},
    {QT_TR_NOOP("Everywhere"), ""},
    {QT_TR_NOOP("Enter in a field"), QT_TR_NOOP("set what stands there in pencil")},
    {QT_TR_NOOP("Esc in a field"), QT_TR_NOOP("take it back")},
    {QT_TR_NOOP("point at a figure"), QT_TR_NOOP("how it came about")},
    {QT_TR_NOOP("drop a file"), QT_TR_NOOP("open it")},
};

}  // namespace

GestureSheet::GestureSheet(const Actions& actions, QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("gestureSheet"));
  setWindowTitle(tr("Keys and gestures"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* column = new QVBoxLayout(this);
  line_ = new QLineEdit(this);
  line_->setObjectName(QStringLiteral("gestureLine"));
  line_->setAccessibleName(tr("Filter keys and gestures"));
  line_->setPlaceholderText(tr("e.g. zoom"));
  line_->setClearButtonEnabled(true);
  column->addWidget(line_);
  model_ = new QStandardItemModel(this);
  model_->setHorizontalHeaderLabels({tr("hand or keys"), tr("what it does")});
  found_ = new QSortFilterProxyModel(this);
  found_->setSourceModel(model_);
  found_->setFilterKeyColumn(-1);
  found_->setFilterCaseSensitivity(Qt::CaseInsensitive);
  table_ = new NotebookTable(QStringLiteral("gestures"), tr("Keys and gestures"), 24, this);
  table_->setModel(found_);
  table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
  column->addWidget(table_, 1);
  fill(actions);
  table_->fitColumns();
  connect(line_, &QLineEdit::textChanged, found_, &QSortFilterProxyModel::setFilterFixedString);
  resize(560, 620);
  line_->setFocus();
}

void GestureSheet::addHeading(const QString& text) {
  auto* item = new QStandardItem(text);
  item->setData(true, LeadRole);
  item->setFont(Theme::baseFont(13, QFont::DemiBold));
  item->setEditable(false);
  auto* rest = new QStandardItem;
  rest->setEditable(false);
  model_->appendRow({item, rest});
}

void GestureSheet::addRow(const QString& what, const QString& does) {
  auto* left = new QStandardItem(what);
  left->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  auto* right = new QStandardItem(does);
  for (QStandardItem* item : {left, right}) item->setEditable(false);
  model_->appendRow({left, right});
}

void GestureSheet::fill(const Actions& actions) {
  for (const Gesture& g : kGestures) {
    if (*g.does == '\0') {
      addHeading(tr(g.what));
    } else {
      addRow(tr(g.what), tr(g.does));
    }
  }
  for (const auto& menus : menu_plan()) {
    for (const Menu& menu : menus) {
      addHeading(tr("Keys: %1").arg(menu_title(QLatin1String(menu.groups.front().front().id))));
      for (const auto& group : menu.groups) {
        for (const MenuEntry& entry : group) {
          const QAction* a = actions.find(QLatin1String(entry.id));
          if (!a || Actions::keysOf(a).isEmpty()) continue;
          addRow(Actions::keysOf(a).toString(QKeySequence::NativeText),
                 a->text().remove(QLatin1Char('&')));
        }
      }
    }
  }
}

int GestureSheet::found() const {
  int out = 0;
  for (int row = 0; row < found_->rowCount(); ++row)
    out += found_->index(row, 0).data(LeadRole).toBool() ? 0 : 1;
  return out;
}

}  // namespace kuvio::app
