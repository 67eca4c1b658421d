// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/captures_panel.h"

#include "app/engine/text.h"
#include "app/style/widgets.h"
#include "book/notes.h"

#include <QInputDialog>
#include <QLabel>
#include <QVBoxLayout>

namespace kuvio::app {

CapturesPanel::CapturesPanel(Session& session, Actions& actions, QWidget* parent)
    : QWidget(parent),
      session_(session),
      model_(new CapturesModel(this)),
      list_(new QListView(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 12, 0, 0);
  auto* head = heading(tr("CAPTURES"), this);
  head->setContentsMargins(20, 0, 0, 0);
  column->addWidget(head);
  list_->setObjectName(QStringLiteral("captures"));
  list_->setAccessibleName(tr("Captures"));
  list_->setModel(model_);
  list_->setItemDelegate(new CaptureDelegate(list_));
  list_->setFrameShape(QFrame::NoFrame);
  list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  list_->setResizeMode(QListView::Adjust);
  list_->setUniformItemSizes(true);
  list_->setContextMenuPolicy(Qt::ActionsContextMenu);
  column->addWidget(list_);
  setMinimumWidth(170);
  makeActions(actions);
  connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this,
          &CapturesPanel::choose);
  connect(model_, &CapturesModel::ticksChanged, this, &CapturesPanel::ask);
  connect(model_, &CapturesModel::ticksChanged, this, [this] {
    QStringList ids;
    for (const qint64 id : model_->ticks()) ids << QString::number(id);
    session_.storeQuietly("ticks", ids.join(QLatin1Char(' ')).toStdString());
  });
}

void CapturesPanel::makeActions(Actions& actions) {
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    list_->addAction(
        actions.add(QLatin1String(id), tr("Captures"), text, keys, std::move(run), DeskId::trace));
  };
  add("tickCapture", tr("Overlay this capture"), QKeySequence(tr("T")), [this] { tick(); });
  add("giveReference", tr("Use its build as reference"), QKeySequence(tr("R")),
      [this] { giveReference(); });
  add("renameCapture", tr("Rename capture…"), {}, [this] { rename(); });
  add("nextCapture", tr("Next capture"), QKeySequence(tr("Ctrl+Down")), [this] { step(1); });
  add("previousCapture", tr("Previous capture"), QKeySequence(tr("Ctrl+Up")), [this] { step(-1); });
}

void CapturesPanel::setBook(const BookViewPtr& book, bool other) {
  taking_ = true;
  model_->setBook(book);
  if (other) {
    std::set<qint64> ticks;
    const QStringList kept = qs(book->note("ticks")).split(QLatin1Char(' '), Qt::SkipEmptyParts);
    for (const QString& id : kept) ticks.insert(id.toLongLong());
    model_->setTicks(ticks);
    model_->setVerdicts({});
    current_ = 0;
    wanted_.clear();
  }
  if (book->rows.empty()) {
    current_ = 0;
    wanted_.clear();
  } else if (!book->row(current_)) {
    current_ = book->rows.front().info.id;
  }
  if (current_ != 0) list_->setCurrentIndex(model_->index(model_->rowOf(current_)));
  taking_ = false;
  ask();
}

void CapturesPanel::setVerdicts(std::map<std::string, Verdict> verdicts) {
  model_->setVerdicts(std::move(verdicts));
}

void CapturesPanel::choose(const QModelIndex& index) {
  const qint64 id = index.data(CapturesModel::IdRole).toLongLong();
  if (taking_ || !index.isValid() || id == current_) return;
  current_ = id;
  emit chosen();
  ask();
}

/// The current capture and those that are ticked are drawn together.
void CapturesPanel::ask() {
  if (taking_ || !session_.book() || current_ == 0) return;
  std::vector<std::int64_t> ids{current_};
  for (const CaptureRow& row : session_.book()->rows) {
    if (row.info.id != current_ && model_->ticks().count(row.info.id) > 0 &&
        !row.info.channels.empty())
      ids.push_back(row.info.id);
  }
  if (ids == wanted_) return;
  wanted_ = ids;
  session_.show(ids);
}

void CapturesPanel::step(int by) {
  const int row = list_->currentIndex().row() + by;
  if (row >= 0 && row < model_->rowCount()) list_->setCurrentIndex(model_->index(row));
}

void CapturesPanel::tick() {
  const QModelIndex index = list_->currentIndex();
  if (!index.isValid()) return;
  const bool ticked = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
  model_->setData(index, ticked ? Qt::Unchecked : Qt::Checked, Qt::CheckStateRole);
}

void CapturesPanel::giveReference() {
  const CaptureRow* row = model_->row(list_->currentIndex().row());
  if (!row) return;
  session_.put(tr("reference is %1").arg(qs(row->info.build)), {{0, "reference", row->info.build}});
}

void CapturesPanel::rename() {
  const CaptureRow* row = model_->row(list_->currentIndex().row());
  if (!row) return;
  const std::int64_t id = row->info.id;
  auto* dialog = new QInputDialog(window());
  dialog->setObjectName(QStringLiteral("renameDialog"));
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setWindowTitle(tr("Rename capture"));
  dialog->setLabelText(tr("Name of the capture"));
  dialog->setTextValue(qs(row->info.name));
  connect(dialog, &QInputDialog::textValueSelected, this, [this, id](const QString& name) {
    const QString clean = name.trimmed();
    if (!clean.isEmpty())
      session_.put(tr("capture renamed to %1").arg(clean), {{id, "name", clean.toStdString()}});
  });
  dialog->show();
}

}  // namespace kuvio::app
