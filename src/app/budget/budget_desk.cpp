// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/budget/budget_desk.h"

#include "app/budget/limit_dialog.h"
#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/state_edits.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/short_names.h"
#include "app/style/theme.h"
#include "app/style/verdict_text.h"
#include "book/notes.h"
#include "formats/phrases.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"
#include "formats/project_text.h"
#include "formats/toml_edit.h"

#include <QFileDialog>
#include <QVBoxLayout>

#include <algorithm>
#include <set>

namespace kuvio::app {
namespace {
constexpr qsizetype kNamed = 2;  // builds in the sentence by their names
constexpr Px kLeastColumn{84};   // px: a name in short, a verdict's sign and a gauge

/// "2.4.0-rc1 misses 3 of 10 limits; 2.3.0 and 2.4.0-rc2 meet all."
QString sentence_of(const BudgetView& view) {
  QStringList parts, all, builds;
  for (const std::string& build : view.builds) builds << qs(build);
  builds = short_names(builds);
  for (std::size_t i = 0; i < view.builds.size() && i < view.results.size(); ++i) {
    const QString& build = builds[static_cast<qsizetype>(i)];
    if (!view.troubles[i].empty()) {
      parts << QObject::tr("%1 cannot be checked").arg(build);
      continue;
    }
    int outside = 0, open = 0;
    const auto& limits = view.results[i].limits;
    for (const LimitResult& r : limits) {
      outside += r.verdict == Verdict::outside ? 1 : 0;
      open += r.verdict == Verdict::too_close || r.verdict == Verdict::no_data ? 1 : 0;
    }
    const auto count = static_cast<int>(limits.size());
    if (outside > 0) {
      parts.prepend(QObject::tr("%1 misses %2 of %3 limits").arg(build).arg(outside).arg(count));
    } else if (open > 0) {
      parts << QObject::tr("%1 leaves %2 of %3 open").arg(build).arg(open).arg(count);
    } else {
      all << build;
    }
  }
  // Of many it is enough how many, and the worst.
  if (parts.size() > kNamed) {
    const auto more = parts.size() - kNamed;
    parts = parts.mid(0, kNamed);
    parts << QObject::tr("%1 more miss some or leave some open").arg(more);
  }
  if (all.size() > kNamed + 1) {
    parts << QObject::tr("%1 meet all").arg(all.size());
  } else if (!all.isEmpty()) {
    const QString last = all.takeLast();
    const QString names =
        all.isEmpty() ? last : all.join(QStringLiteral(", ")) + QObject::tr(" and ") + last;
    parts << (all.isEmpty() ? QObject::tr("%1 meets all") : QObject::tr("%1 meet all")).arg(names);
  }
  return parts.isEmpty() ? QString() : parts.join(QStringLiteral("; ")) + QLatin1Char('.');
}

}  // namespace

BudgetDesk::BudgetDesk(const Context& context, QWidget* parent) : Desk(parent), context_(context) {
  setObjectName(QStringLiteral("budgetDesk"));
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  stack_ = new QStackedWidget(this);
  outer->addWidget(stack_);
  empty_ = new EmptyState(QStringLiteral("budgetEmpty"), this);
  stack_->addWidget(empty_);
  stack_->addWidget(makePage());
  makeActions();
  connect(&context_.session, &Session::budgetReady, this, &BudgetDesk::take);
  take(nullptr);
}

QWidget* BudgetDesk::makePage() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(24, 16, 24, 8);
  column->setSpacing(8);
  column->addLayout(makeHead(page));
  sentence_ = new QLabel(page);
  sentence_->setObjectName(QStringLiteral("budgetSentence"));
  sentence_->setWordWrap(true);
  sentence_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column->addWidget(sentence_);
  column->addWidget(makeDiskBanner(page));
  auto* row = new QHBoxLayout;
  row->setSpacing(20);
  model_ = new LimitsModel(this);
  table_ = new NotebookTable(QStringLiteral("limits"), tr("Limits"), 44, page);
  table_->setModel(model_);
  table_->setItemDelegate(new GaugeDelegate(table_));
  table_->horizontalHeader()->setMinimumSectionSize(kLeastColumn);
  connect(table_, &QTableView::doubleClicked, this, [this] { editLimit(); });
  row->addWidget(table_, 3);
  source_ = new SourceEditor(QStringLiteral("budget"), tr("Text of the budget"), page);
  source_->hide();
  row->addWidget(source_, 2);
  connect(source_, &SourceEditor::applied, this,
          [this](const QString& text) { commit(text.toStdString(), tr("budget's text")); });
  connect(&context_.documents, &Documents::refused, this,
          [this](DocumentKind kind, const QString& trouble) {
            if (kind != DocumentKind::budget) return;
            source_->setTrouble(trouble);
            show_text_->setChecked(true);
          });
  column->addLayout(row, 1);
  left_out_ = remark({}, page);
  left_out_->setObjectName(QStringLiteral("budgetLeftOut"));
  column->addWidget(left_out_);
  connect(show_text_, &QPushButton::toggled, source_, &QWidget::setVisible);
  return page;
}

QLayout* BudgetDesk::makeHead(QWidget* page) {
  auto* head = beside_or_below();
  title_ = new QLabel(page);
  title_->setObjectName(QStringLiteral("budgetTitle"));
  title_->setFont(Theme::baseFont(19, QFont::DemiBold));
  head->addWidget(title_, 1);
  auto* buttons = new QHBoxLayout;
  head->addLayout(buttons);
  const auto offer = [&](const QString& text, const char* name, auto slot) {
    auto* b = button(text, QLatin1String(name), page);
    connect(b, &QPushButton::clicked, this, slot);
    buttons->addWidget(b);
    return b;
  };
  offer(tr("Add limit…"), "addLimit", [this] { addLimit(); });
  offer(tr("Change…"), "editLimit", [this] { editLimit(); });
  offer(tr("Remove"), "removeLimit", [this] { removeLimit(); });
  show_text_ = button(tr("Edit as text"), QStringLiteral("showFile"), page);
  show_text_->setCheckable(true);
  buttons->addWidget(show_text_);
  if (is_cramped()) buttons->addStretch(1);
  return head;
}

/// The file beside the book says something else.
QWidget* BudgetDesk::makeDiskBanner(QWidget* page) {
  disk_banner_ = new QWidget(page);
  disk_banner_->setObjectName(QStringLiteral("diskBanner"));
  auto* banner = new QHBoxLayout(disk_banner_);
  banner->setContentsMargins(0, 0, 0, 0);
  disk_ = new QLabel(disk_banner_);
  auto* reload = button(tr("Reload"), QStringLiteral("reloadBudget"), disk_banner_, true);
  auto* mine = button(tr("Keep mine"), QStringLiteral("keepBudget"), disk_banner_);
  banner->addWidget(disk_, 1);
  banner->addWidget(reload);
  banner->addWidget(mine);
  connect(reload, &QPushButton::clicked, this, [this] {
    if (!view_ || !view_->on_disk) return;
    book::Document next = context_.documents.get(DocumentKind::budget);
    next.text = next.saved = *view_->on_disk;
    context_.session.put(tr("budget reloaded"), {book::document_note(DocumentKind::budget, next)});
  });
  connect(mine, &QPushButton::clicked, this, [this] {
    if (!view_ || !view_->on_disk) return;
    book::Document next = context_.documents.get(DocumentKind::budget);
    next.saved = *view_->on_disk;  // seen, and not wanted
    context_.session.put(tr("kept my version of the budget"),
                         {book::document_note(DocumentKind::budget, next)});
  });
  return disk_banner_;
}

void BudgetDesk::makeActions() {
  const DeskId desk = DeskId::budget;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  add("limitsFromCapture", tr("Create limits from this capture"), {}, [this] { fromCapture(); });
  add("openBudget", tr("Open budget…"), QKeySequence(tr("Ctrl+Shift+B")), [this] {
    const QString path = QFileDialog::getOpenFileName(this, tr("Open budget"), {},
                                                      Documents::filter(DocumentKind::budget));
    if (!path.isEmpty()) context_.documents.open(DocumentKind::budget, path);
  });
  add("saveBudget", tr("Save budget as…"), {}, [this] { saveAs(); });
  add("addLimitAction", tr("Add limit…"), Qt::Key_Insert, [this] { addLimit(); });
  add("editLimitAction", tr("Change limit…"), Qt::Key_F2, [this] { editLimit(); });
  add("removeLimitAction", tr("Remove limit"), Qt::Key_Delete, [this] { removeLimit(); });
  add("showBudgetFile", tr("Edit as text"), QKeySequence(tr("Ctrl+U")),
      [this] { show_text_->toggle(); });
  context_.actions.answer(Needs::budget,
                          [this] { return context_.documents.find(DocumentKind::budget); });
  context_.actions.answer(Needs::limit,
                          [this] { return model_->limit(table_->currentIndex().row()); });
}

void BudgetDesk::enter() { context_.session.requestBudget(); }

void BudgetDesk::applyTheme() { table_->viewport()->update(); }

void BudgetDesk::take(const BudgetViewPtr& view) {
  view_ = view;
  const bool any = view && !view->text.empty();
  stack_->setCurrentIndex(any ? 1 : 0);
  if (!any) {
    const bool captures = context_.session.book() && !context_.session.book()->rows.empty();
    std::vector<EmptyState::Offer> offers;
    if (captures)
      offers.emplace_back(tr("Create limits from this capture"), [this] { fromCapture(); });
    offers.emplace_back(tr("Open budget…"), [this] {
      context_.actions.run(context_.actions.find(QStringLiteral("openBudget")));
    });
    if (!captures)
      offers.emplace_back(tr("Go to Bench"), [this] { emit deskRequested(DeskId::bench); });
    empty_->say(tr("No budget yet"),
                tr("A budget is a file kept with the firmware: expected values and limits, checked "
                   "here and by kuvio-cli for every build."),
                offers);
    model_->setView(nullptr);
    emit footChanged();
    return;
  }
  const int row = table_->currentIndex().row();
  // A text that is not valid leaves the rows as they were.
  if (view->budget || !model_->view()) model_->setView(view);
  if (view->budget) {
    title_->setText(qs(view->budget->name));
    sentence_->setText(sentence_of(*view));
    table_->setColumnWidth(LimitsModel::Name, is_cramped() ? Px{170} : Px{210});
    table_->setColumnWidth(LimitsModel::Expect, Px{92});
    table_->setColumnHidden(LimitsModel::Expect, is_cramped());  // the gauges have it as a tick
    table_->setColumnWidth(LimitsModel::Bound, Px{104});
    for (int i = LimitsModel::FirstBuild; i < model_->columnCount(); ++i) {
      table_->horizontalHeader()->setSectionResizeMode(i, QHeaderView::Stretch);
    }
    if (row >= 0) table_->setCurrentIndex(model_->index(std::min(row, model_->rowCount() - 1), 0));
  }
  QStringList left_out;
  for (std::size_t i = 0; i < view->results.size() && i < view->builds.size(); ++i) {
    if (const auto& unnamed = view->results[i].unnamed; !unnamed.empty())
      left_out << qs(formats::unnamed_text(unnamed, view->builds[i])) + tr(".");
  }
  left_out_->setText(left_out.join(QLatin1Char(' ')));
  left_out_->setVisible(!left_out.isEmpty());
  source_->setText(qs(view->text));
  source_->setTrouble(qs(view->error));
  if (!view->error.empty()) {
    show_text_->setChecked(true);
    emit messageReported(
        Message::trouble(tr("The budget cannot be used: %1").arg(qs(view->error))));
  }
  disk_banner_->setVisible(view->on_disk.has_value());
  disk_->setText(
      tr("%1 changed on disk.").arg(qs(context_.documents.get(DocumentKind::budget).name)));
  emit footChanged();
}

void BudgetDesk::commit(const std::string& text, const QString& why) {
  if (context_.documents.put(DocumentKind::budget, text, why)) source_->setTrouble({});
}

QDialog* BudgetDesk::showForm(const Limit& limit, bool existing) {
  // One at a time: what is typed there is not lost.
  if (auto* open = findChild<LimitDialog*>(); open && open->isVisible()) {
    open->raise();
    open->activateWindow();
    return open;
  }
  QStringList states;
  std::set<std::string> known;
  if (view_) {
    for (const std::string& s : view_->states) known.insert(s);
  }
  if (context_.view.capture()) {
    for (const auto& [state, fill] : context_.view.capture()->fills) {
      if (!is_built_in_state(state)) known.insert(state);
    }
  }
  for (const std::string& s : known) states << qs(s);
  const BookView& book = *context_.session.book();
  const bool field = book.document(DocumentKind::duty) && book.document(DocumentKind::battery);
  auto* dialog = new LimitDialog(states, field || limit.scope == Scope::field, this);
  dialog->setLimit(limit, existing);
  connect(dialog, &LimitDialog::limitAccepted, this,
          [this, existing](const Limit& made) { putLimit(made, existing); });
  dialog->show();
  return dialog;
}

void BudgetDesk::addLimit() {
  if (!context_.session.book()) return;
  Limit limit;
  limit.scope = Scope::state;
  if (view_ && !view_->states.empty()) limit.state = view_->states.front();
  showForm(limit, false);
}

void BudgetDesk::editLimit() {
  const Limit* limit = model_->limit(table_->currentIndex().row());
  if (!limit) {
    emit messageReported(tr("Select the limit to change."));
    return;
  }
  showForm(*limit, true);
}

void BudgetDesk::removeLimit() {
  const Limit* limit = model_->limit(table_->currentIndex().row());
  if (!limit) {
    emit messageReported(tr("Select the limit to remove."));
    return;
  }
  if (model_->rowCount() == 1) {
    context_.session.put(tr("budget removed"), {book::no_document(DocumentKind::budget)});
    return;
  }
  const book::Document own = context_.documents.get(DocumentKind::budget);
  const std::string text = formats::remove_limit(own.text, own.name, *view_->budget, *limit);
  commit(text, tr("limit on %1 removed").arg(qs(limit->name())));
}

void BudgetDesk::putLimit(const Limit& limit, bool existing) {
  const book::Document own = context_.documents.get(DocumentKind::budget);
  std::string text = own.text;
  if (existing) {
    commit(formats::set_limit(text, own.name, limit), tr("limit on %1").arg(qs(limit.name())));
    return;
  }
  const BookView& book = *context_.session.book();
  const auto name = [&](DocumentKind kind) {
    const auto* d = book.document(kind);
    return d ? d->name : std::string();
  };
  if (text.empty()) {
    std::string recipe = name(DocumentKind::recipe);
    if (recipe.empty()) {
      emit messageReported(tr(
          "A budget needs a recipe that defines its states. Create one on the Trace desk first."));
      return;
    }
    text =
        "kuvio = \"budget/1\"\nname = \"Limits\"\nrecipe = " + formats::toml_quote(recipe) + "\n";
  }
  text = formats::toml_append(
      text, formats::limit_block(limit, name(DocumentKind::duty), name(DocumentKind::battery)));
  commit(text, tr("limit on %1").arg(qs(limit.name())));
}

void BudgetDesk::limitFrom(const SpanFigures& span, const QString& state) {
  if (!context_.session.book()) return;
  Limit limit;
  const bool built_in = state.isEmpty() || is_built_in_state(state.toStdString());
  limit.scope = built_in ? Scope::whole : Scope::state;
  limit.state = built_in ? "" : state.toStdString();
  limit.quantity = LimitQuantity::mean_current;
  limit.expect = span.mean();
  if (limit.expect) limit.max = *limit.expect * 1.1;
  // Whoever thinks better of it is back where the span was marked.
  connect(showForm(limit, false), &QDialog::rejected, this,
          [this] { emit deskRequested(DeskId::trace); });
}

void BudgetDesk::fromCapture() {
  const auto& capture = context_.view.capture();
  if (!capture || !capture->ledger) {
    emit messageReported(tr("Split a capture into states first: its figures become the limits."));
    emit deskRequested(DeskId::trace);
    return;
  }
  limits_from_capture(context_.session, capture->info.id);
}

void BudgetDesk::saveAs() {
  const book::Document own = context_.documents.get(DocumentKind::budget);
  if (own.text.empty()) return;
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save budget"), file_name(qs(own.name)), Documents::filter(DocumentKind::budget));
  if (!path.isEmpty()) context_.documents.saveAs(DocumentKind::budget, own, path);
}

std::vector<FootPart> BudgetDesk::foot() const {
  if (!view_ || view_->text.empty()) return {};
  std::vector<FootPart> out{
      {view_->not_looked_at ? tr("%1, as in the book; the file is not below it and was not read")
                                  .arg(qs(context_.documents.get(DocumentKind::budget).path))
                            : context_.documents.whereabouts(DocumentKind::budget),
       {}}};
  QStringList builds;
  for (const std::string& build : view_->builds) builds << qs(build);
  builds = short_names(builds);
  for (std::size_t i = 0; i < view_->results.size() && i < view_->builds.size(); ++i) {
    out.push_back({QStringLiteral("%1 %2").arg(builds[static_cast<qsizetype>(i)],
                                               view_->troubles[i].empty()
                                                   ? verdict_text(view_->results[i].verdict)
                                                   : tr("– not checked")),
                   qs(view_->troubles[i])});
  }
  return out;
}

}  // namespace kuvio::app
