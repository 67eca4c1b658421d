// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/find_box.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QKeyEvent>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

constexpr int kKeys = Qt::UserRole + 1, kMenu = Qt::UserRole + 2, kCan = Qt::UserRole + 3;
constexpr int kRank = 10000;

class FoundDelegate : public QStyledItemDelegate {
public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {400, Px{28}};
  }
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override {
    const Theme& t = Theme::current();
    painter->save();
    if (option.state & QStyle::State_Selected) painter->fillRect(option.rect, t.wash());
    const QRect box = option.rect.adjusted(Px{12}, 0, -Px{12}, 0);
    const QString text = index.data().toString(), keys = index.data(kKeys).toString();
    const bool can = index.data(kCan).toBool();
    painter->setFont(Theme::baseFont(13));
    painter->setPen(can ? t.text() : t.muted());
    painter->drawText(box, Qt::AlignVCenter | Qt::AlignLeft, text);
    const int used = painter->fontMetrics().horizontalAdvance(text) + 24;
    painter->setPen(t.muted());
    painter->setFont(Theme::baseFont(12));
    painter->drawText(box, Qt::AlignVCenter | Qt::AlignRight, keys);
    const QRect rest = box.adjusted(used, 0, can ? -Px{120} : -Px{72}, 0);
    painter->drawText(rest, Qt::AlignVCenter | Qt::AlignRight,
                      painter->fontMetrics().elidedText(index.data(kMenu).toString(),
                                                        Qt::ElideRight, rest.width()));
    painter->restore();
  }
};

}  // namespace

FindBox::FindBox(Actions& actions, QWidget* window) : QFrame(window), actions_(actions) {
  setObjectName(QStringLiteral("findBox"));
  setAccessibleName(tr("Find an action"));
  setAutoFillBackground(true);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 10, 10, 10);
  line_ = new QLineEdit(this);
  line_->setObjectName(QStringLiteral("findLine"));
  line_->setAccessibleName(tr("Search actions"));
  line_->setPlaceholderText(tr("Search actions"));
  list_ = new QListWidget(this);
  list_->setObjectName(QStringLiteral("findList"));
  list_->setAccessibleName(tr("Actions found"));
  list_->setFrameShape(QFrame::NoFrame);
  list_->setFocusPolicy(Qt::NoFocus);
  list_->setItemDelegate(new FoundDelegate(list_));
  list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  column->addWidget(line_);
  column->addWidget(list_);
  line_->installEventFilter(this);
  connect(line_, &QLineEdit::textChanged, this, &FindBox::search);
  connect(list_, &QListWidget::itemClicked, this, &FindBox::runCurrent);
  hide();
}

int FindBox::fit(const QString& words, const QString& text) {
  int total = 1;
  const QString low = text.toLower();
  const QStringList parts = words.toLower().split(QLatin1Char(' '), Qt::SkipEmptyParts);
  for (const QString& word : parts) {
    const qsizetype whole = low.indexOf(word);
    if (whole >= 0) {
      const bool begins = whole == 0 || !low[whole - 1].isLetterOrNumber();
      total += begins ? 100 : 40;
      continue;
    }
    // All letters in order, the first at the beginning of a word: "lc" finds "Limits from Capture".
    qsizetype at = 0;
    for (qsizetype i = 0; i < word.size(); ++i) {
      at = low.indexOf(word[i], at);
      if (at < 0) return 0;
      if (i == 0 && at > 0 && low[at - 1].isLetterOrNumber()) {
        bool found = false;
        for (; at >= 0 && !found; at = found ? at : low.indexOf(word[i], at + 1))
          found = at == 0 || !low[at - 1].isLetterOrNumber();
        if (!found) return 0;
      }
      ++at;
    }
    total += 10;
  }
  return total;
}

bool FindBox::begins(const QString& words, const QString& text) {
  const QString low = text.toLower();
  for (const QString& word : words.toLower().split(QLatin1Char(' '), Qt::SkipEmptyParts)) {
    qsizetype at = low.indexOf(word);
    while (at > 0 && low[at - 1].isLetterOrNumber()) at = low.indexOf(word, at + 1);
    if (at < 0) return false;
  }
  return true;
}

void FindBox::open() {
  const QWidget* window = parentWidget();
  if (!isVisible()) before_ = window->window()->focusWidget();
  const int width = std::min(560, window->width() - 80);
  setGeometry((window->width() - width) / 2, 52, width, std::min(380, window->height() - 120));
  line_->clear();
  search();
  show();
  raise();
  line_->setFocus();
}

void FindBox::search() {
  list_->clear();
  struct Found {
    QAction* action;
    int score;
    QString why_not;
  };
  std::vector<Found> found;
  const QString words = line_->text().trimmed();
  for (QAction* a : actions_.all()) {
    if (a->objectName() == QStringLiteral("find")) continue;
    const QString text = a->text().remove(QLatin1Char('&'));
    const MenuEntry* entry = menu_entry(a->objectName());
    const QString named = text + QLatin1Char(' ') + Actions::menuOf(a);
    // By its name, by what else it is called, and last with letters left out.
    int score = fit(words, named);
    if (begins(words, named)) {
      score += 2 * kRank;
    } else if (entry && begins(words, named + QLatin1Char(' ') + QLatin1String(entry->words))) {
      score += kRank;
    }
    if (score > 0) found.push_back({a, score, actions_.whyNot(a)});
  }
  std::stable_sort(found.begin(), found.end(), [](const Found& a, const Found& b) {
    return std::pair(a.why_not.isEmpty(), a.score) > std::pair(b.why_not.isEmpty(), b.score);
  });
  for (const Found& one : found) {
    auto* item = new QListWidgetItem(one.action->text().remove(QLatin1Char('&')), list_);
    item->setData(Qt::UserRole, QVariant::fromValue<QObject*>(one.action));
    item->setData(kKeys, Actions::keysOf(one.action).toString(QKeySequence::NativeText));
    item->setData(kMenu, one.why_not.isEmpty() ? Actions::menuOf(one.action) : one.why_not);
    item->setData(kCan, one.why_not.isEmpty());
    if (!one.why_not.isEmpty()) item->setData(Qt::AccessibleDescriptionRole, one.why_not);
  }
  if (found.empty()) {
    auto* none = new QListWidgetItem(tr("No matching action"), list_);
    none->setFlags(Qt::NoItemFlags);
  }
  list_->setCurrentRow(0);
}

void FindBox::runCurrent() {
  const QListWidgetItem* item = list_->currentItem();
  auto* action =
      item ? qobject_cast<QAction*>(item->data(Qt::UserRole).value<QObject*>()) : nullptr;
  close();
  if (action) actions_.run(action);
}

/// The keyboard is where it was before.
void FindBox::close() {
  if (before_ && before_->isVisible()) before_->setFocus();
  hide();
}

bool FindBox::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::ShortcutOverride) {  // these keys are the box's while it is open
    event->accept();
    return false;
  }
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    const int row = list_->currentRow(), last = list_->count() - 1;
    switch (key->key()) {
      case Qt::Key_Down:
        list_->setCurrentRow(std::min(last, row + 1));
        return true;
      case Qt::Key_Up:
        list_->setCurrentRow(std::max(0, row - 1));
        return true;
      case Qt::Key_Return:
      case Qt::Key_Enter:
        runCurrent();
        return true;
      case Qt::Key_Escape:
        close();
        return true;
      default:
        break;
    }
  }
  if (event->type() == QEvent::FocusOut && watched == line_) hide();
  return QFrame::eventFilter(watched, event);
}

void FindBox::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  painter.setPen(QPen(t.border(), 1));
  painter.drawRect(rect().adjusted(0, 0, -1, -1));
}

}  // namespace kuvio::app
