// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/captures_panel.h"

#include "app/engine/book_view.h"
#include "app/engine/text.h"
#include "app/shell/capture_dialog.h"
#include "app/shell/typed_dialog.h"
#include "app/style/pixels.h"
#include "app/style/widgets.h"
#include "book/notes.h"
#include "core/error.h"

#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QVBoxLayout>

#include <set>

namespace kuvio::app {
namespace {
constexpr int kMany = 12;   // captures, from which they stand a line each unless it was chosen
constexpr int kFilter = 5;  // captures, from which there is something to filter
const char* const kOwnConditions[] = {"board", "tester", "temperature", "voltage"};
}  // namespace

CapturesPanel::CapturesPanel(Session& session, Actions& actions, QWidget* parent)
    : QWidget(parent),
      session_(session),
      model_(new CapturesModel(this)),
      delegate_(new CaptureDelegate(this)),
      filter_(new QLineEdit(this)),
      group_(button(tr("Group"), QStringLiteral("groupCaptures"), this)),
      list_(new QListView(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 8, 0, 0);
  column->setSpacing(4);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(20, 0, 8, 0);
  head->addWidget(heading(tr("CAPTURES"), this), 1);
  group_->setFlat(true);
  group_->setMenu(makeGroupMenu());
  group_->setAccessibleName(tr("How captures are grouped and shown"));
  head->addWidget(group_);
  column->addLayout(head);
  filter_->setObjectName(QStringLiteral("filterCaptures"));
  filter_->setAccessibleName(tr("Filter captures by name, build or condition"));
  filter_->setPlaceholderText(tr("Filter…"));
  filter_->setClearButtonEnabled(true);
  filter_->setVisible(false);
  auto* filters = new QHBoxLayout;
  filters->setContentsMargins(8, 0, 8, 0);
  filters->addWidget(filter_);
  column->addLayout(filters);
  connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
    taking_ = true;
    model_->setFilter(text);
    pickCurrent();
    taking_ = false;
  });
  list_->setObjectName(QStringLiteral("captures"));
  list_->setAccessibleName(tr("Captures"));
  list_->setModel(model_);
  list_->setItemDelegate(delegate_);
  list_->setFrameShape(QFrame::NoFrame);
  list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  list_->setResizeMode(QListView::Adjust);
  list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  list_->setContextMenuPolicy(Qt::ActionsContextMenu);
  column->addWidget(list_);
  setMinimumWidth(Px{170});
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
    list_->addAction(actions.add(QLatin1String(id), text, keys, std::move(run), DeskId::trace));
  };
  add("tickCapture", tr("Overlay this capture"), QKeySequence(tr("T")), [this] { tick(); });
  add("giveReference", tr("Use its build as reference"), QKeySequence(tr("R")),
      [this] { giveReference(); });
  add("renameCapture", tr("Rename capture…"), {}, [this] { rename(); });
  add("describeCapture", tr("Describe capture: build, board, conditions…"),
      QKeySequence(tr("Ctrl+I")), [this] { describe(); });
  add("typeReadings", tr("Type readings…"), {}, [this] { typeReadings(); });
  add("deleteCapture", tr("Delete capture"), {}, [this] { remove(); });
  add("restoreCaptures", tr("Put deleted captures back"), {}, [this] { putBack(); });
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
    filter_->clear();
    const auto grouping = book->note("captures_group");
    model_->setGrouping(grouping.empty()     ? QStringLiteral("build")
                        : grouping == "none" ? QString()
                                             : qs(grouping));
    const auto compact = book->note("captures_compact");
    setCompact(compact.empty() ? static_cast<int>(book->rows.size()) > kMany : compact == "1");
  }
  filter_->setVisible(static_cast<int>(book->rows.size()) >= kFilter);
  if (book->rows.empty()) {
    current_ = 0;
    wanted_.clear();
  } else if (!book->row(current_)) {
    current_ = book->rows.front().info.id;
  }
  pickCurrent();
  taking_ = false;
  ask();
}

/// The current capture is the list's current one, where the filter lets it be seen.
void CapturesPanel::pickCurrent() {
  const int row = current_ == 0 ? -1 : model_->rowOf(current_);
  if (row >= 0) list_->setCurrentIndex(model_->index(row));
}

QMenu* CapturesPanel::makeGroupMenu() {
  auto* menu = new QMenu(this);
  menu->setAccessibleName(tr("How captures are grouped and shown"));
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    const auto add = [&](const QString& text, const QString& by) {
      QAction* a = menu->addAction(text, this, [this, by] { setGrouping(by); });
      a->setCheckable(true);
      a->setChecked(model_->grouping() == by);
    };
    add(tr("By build"), QStringLiteral("build"));
    std::set<std::string> known;
    if (session_.book()) {
      for (const CaptureRow& row : session_.book()->rows) {
        for (const auto& [key, value] : row.info.conditions) known.insert(key);
      }
    }
    for (const char* key : kOwnConditions) {
      if (known.count(key) > 0) add(tr("By %1").arg(QLatin1String(key)), QLatin1String(key));
    }
    add(tr("As they were made"), {});
    menu->addSeparator();
    QAction* compact = menu->addAction(tr("One line each"), this, [this] {
      setCompact(!delegate_->isCompact());
      session_.storeQuietly("captures_compact", delegate_->isCompact() ? "1" : "0");
    });
    compact->setCheckable(true);
    compact->setChecked(delegate_->isCompact());
  });
  return menu;
}

void CapturesPanel::setGrouping(const QString& by) {
  taking_ = true;
  model_->setGrouping(by);
  pickCurrent();
  taking_ = false;
  session_.storeQuietly("captures_group", by.isEmpty() ? "none" : by.toStdString());
}

void CapturesPanel::setCompact(bool compact) {
  delegate_->setCompact(compact);
  list_->doItemsLayout();
  list_->viewport()->update();
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
  int row = list_->currentIndex().row() + by;
  while (model_->isHeading(row)) row += by;
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
  dialog->resize(420, dialog->sizeHint().height());
  connect(dialog, &QInputDialog::textValueSelected, this, [this, id](const QString& name) {
    const QString clean = name.trimmed();
    if (!clean.isEmpty())
      session_.put(tr("capture renamed to %1").arg(clean), {{id, "name", clean.toStdString()}});
  });
  dialog->show();
}

/// Those that are selected, the current one at least, in the list's order.
std::vector<const CaptureRow*> CapturesPanel::selected() const {
  std::vector<const CaptureRow*> out;
  for (int i = 0; i < model_->rowCount(); ++i) {
    const QModelIndex index = model_->index(i);
    if (index != list_->currentIndex() && !list_->selectionModel()->isSelected(index)) continue;
    if (const CaptureRow* row = model_->row(i)) out.push_back(row);
  }
  return out;
}

/// "capture 2.3.0 run 2", "3 captures".
QString CapturesPanel::words(const std::vector<const CaptureRow*>& rows) {
  return rows.size() == 1 ? tr("capture %1").arg(qs(rows.front()->info.name))
                          : tr("%1 captures").arg(rows.size());
}

void CapturesPanel::describe() {
  const auto rows = selected();
  if (rows.empty()) return;
  std::vector<book::CaptureInfo> captures;
  for (const CaptureRow* row : rows) captures.push_back(row->info);
  auto* dialog = new CaptureDialog(std::move(captures), window());
  connect(dialog, &CaptureDialog::described, this,
          [this, what = words(rows)](const std::vector<book::Note>& notes) {
            session_.put(tr("%1 described").arg(what), notes);
          });
  dialog->show();
}

/// Readings of the capture, where it is a typed one; else new ones, of its build.
void CapturesPanel::typeReadings() {
  if (!session_.book()) return;
  const CaptureRow* row = model_->row(model_->rowOf(current_));
  QStringList states;
  for (const CaptureRow& other : session_.book()->rows) {
    for (const Visit& v : other.visits) {
      if (!is_built_in_state(v.state)) states << qs(v.state);
    }
    for (const TypedReading& r : other.typed) states << qs(r.state);
  }
  states.removeDuplicates();
  const auto open = [this, states](TypedReadings from, const QString& name) {
    auto* dialog = new TypedDialog(std::move(from), name, states, window());
    connect(dialog, &TypedDialog::typed, this,
            [this](const TypedReadings& what) { type_readings(session_, what); });
    dialog->show();
  };
  TypedReadings from;
  if (row) from.build = row->info.build;
  if (!row || !row->info.typed) return open(from, {});
  from.capture = row->info.id;
  from.readings = row->typed;
  open(from, qs(row->info.name));
}

/// Out of every list and figure; what they hold stays in the book until they are put back.
void CapturesPanel::remove() {
  const auto rows = selected();
  if (rows.empty()) return;
  std::vector<std::int64_t> ids;
  for (const CaptureRow* row : rows) {
    if (row->info.recording) {
      emit messageReported(tr("%1 is being recorded: stop it first.").arg(qs(row->info.name)));
      return;
    }
    ids.push_back(row->info.id);
  }
  const auto notes = [ids](bool deleted) {
    std::vector<book::Note> out;
    for (const std::int64_t id : ids) out.push_back(book::deleted_note(id, deleted));
    return out;
  };
  const QString what = words(rows);
  session_.put(tr("%1 deleted").arg(what), notes(true));
  Message message = Message::done(
      rows.size() == 1
          ? tr("%1 deleted: it counts nowhere, and can be put back.")
                .arg(qs(rows.front()->info.name))
          : tr("%1 captures deleted: they count nowhere, and can be put back.").arg(rows.size()));
  message.offer = rows.size() == 1 ? tr("Put it back") : tr("Put them back");
  message.run = [this, notes, what] { session_.put(tr("%1 put back").arg(what), notes(false)); };
  emit messageReported(message);
}

void CapturesPanel::putBack() {
  session_.change(tr("deleted captures put back"),
                  [](const book::Book& book, const std::stop_token&) {
                    book::ChangeRequest out;
                    for (const std::int64_t id : book.deleted())
                      out.notes.push_back(book::deleted_note(id, false));
                    if (out.notes.empty())
                      throw Error(Failure::usage, "nothing to put back", book.path(),
                                  "no capture of this book is deleted");
                    return out;
                  });
}

}  // namespace kuvio::app
