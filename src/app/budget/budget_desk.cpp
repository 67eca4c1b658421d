// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/budget/budget_desk.h"

#include "app/budget/limit_dialog.h"
#include "app/look/theme.h"
#include "app/trace/ledger_model.h"
#include "app/work/state_edits.h"
#include "app/work/trusted_files.h"
#include "formats/output_file.h"
#include "formats/phrases.h"
#include "formats/plan_files.h"
#include "formats/toml_edit.h"
#include "formats/toml_file.h"

#include <QFileDialog>
#include <QFontDatabase>
#include <QVBoxLayout>

#include <algorithm>
#include <filesystem>
#include <set>

namespace kuvio::app {
namespace {

QString q(const std::string& text) { return QString::fromStdString(text); }

const char* key_of(LimitQuantity quantity) {
  switch (quantity) {
    case LimitQuantity::mean_current:
      return "mean_current";
    case LimitQuantity::charge_per_visit:
      return "charge_per_visit";
    case LimitQuantity::energy_per_visit:
      return "energy_per_visit";
    case LimitQuantity::visit_length:
      return "visit_length";
    case LimitQuantity::peak_current:
      return "peak_current";
    case LimitQuantity::lifetime:
      return "lifetime";
  }
  return "";
}

Dimension dimension_of(LimitQuantity quantity) {
  switch (quantity) {
    case LimitQuantity::charge_per_visit:
      return Dimension::charge;
    case LimitQuantity::energy_per_visit:
      return Dimension::energy;
    case LimitQuantity::visit_length:
    case LimitQuantity::lifetime:
      return Dimension::time;
    default:
      return Dimension::current;
  }
}

}  // namespace

BudgetDesk::BudgetDesk(const Context& context, QWidget* parent) : Desk(parent), c_(context) {
  setObjectName(QStringLiteral("budgetDesk"));
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  stack_ = new QStackedWidget(this);
  outer->addWidget(stack_);
  empty_ = new EmptyState(QStringLiteral("budgetEmpty"), this);
  stack_->addWidget(empty_);
  stack_->addWidget(makePage());
  makeActions();
  connect(&c_.session, &Session::budgetReady, this, &BudgetDesk::take);
  take(nullptr);
}

QWidget* BudgetDesk::makePage() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(24, 16, 24, 8);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  title_ = new QLabel(page);
  title_->setObjectName(QStringLiteral("budgetTitle"));
  title_->setFont(Theme::baseFont(19, QFont::DemiBold));
  head->addWidget(title_, 1);
  const auto offer = [&](const QString& text, const char* name, auto slot) {
    auto* b = button(text, QLatin1String(name), page);
    connect(b, &QPushButton::clicked, this, slot);
    head->addWidget(b);
    return b;
  };
  offer(tr("Add limit…"), "addLimit", [this] { addLimit(); });
  offer(tr("Change…"), "editLimit", [this] { editLimit(); });
  offer(tr("Remove"), "removeLimit", [this] { removeLimit(); });
  show_text_ = button(tr("Show file"), QStringLiteral("showFile"), page);
  show_text_->setCheckable(true);
  head->addWidget(show_text_);
  column->addLayout(head);
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
    book::Document next = document();
    next.text = next.saved = *view_->on_disk;
    c_.session.put(tr("budget reloaded"), {book::document_note(book::kBudget, next)});
  });
  connect(mine, &QPushButton::clicked, this, [this] {
    if (!view_ || !view_->on_disk) return;
    book::Document next = document();
    next.saved = *view_->on_disk;  // seen, and not wanted
    c_.session.put(tr("own budget kept"), {book::document_note(book::kBudget, next)});
  });
  column->addWidget(disk_banner_);
  auto* row = new QHBoxLayout;
  row->setSpacing(20);
  model_ = new LimitsModel(this);
  table_ = new NotebookTable(QStringLiteral("limits"), tr("Limits"), 44, page);
  table_->setModel(model_);
  table_->setItemDelegate(new GaugeDelegate(table_));
  connect(table_, &QTableView::doubleClicked, this, [this] { editLimit(); });
  row->addWidget(table_, 3);
  row->addWidget(makeText(), 2);
  column->addLayout(row, 1);
  left_out_ = remark({}, page);
  left_out_->setObjectName(QStringLiteral("budgetLeftOut"));
  column->addWidget(left_out_);
  connect(show_text_, &QPushButton::toggled, text_page_, &QWidget::setVisible);
  return page;
}

QWidget* BudgetDesk::makeText() {
  text_page_ = new QWidget(this);
  auto* column = new QVBoxLayout(text_page_);
  column->setContentsMargins(0, 0, 0, 0);
  text_ = new QPlainTextEdit(text_page_);
  text_->setObjectName(QStringLiteral("budgetSource"));
  text_->setAccessibleName(tr("Text of the budget"));
  text_->setTabChangesFocus(true);
  text_->setLineWrapMode(QPlainTextEdit::NoWrap);
  QFont mono = QFontDatabase::systemFont(QFontDatabase::FixedFont);
  mono.setPixelSize(12);
  text_->setFont(mono);
  text_error_ = remark({}, text_page_);
  text_error_->setObjectName(QStringLiteral("budgetError"));
  auto* keep_text = button(tr("Keep this text"), QStringLiteral("keepText"), text_page_, true);
  column->addWidget(text_, 1);
  column->addWidget(text_error_);
  column->addWidget(keep_text);
  connect(keep_text, &QPushButton::clicked, this,
          [this] { keep(text_->toPlainText().toStdString(), tr("budget's text")); });
  text_page_->hide();
  return text_page_;
}

void BudgetDesk::makeActions() {
  const QString menu = tr("Budget"), desk = QStringLiteral("Budget");
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    c_.actions.add(QLatin1String(id), menu, text, keys, std::move(run), desk);
  };
  add("limitsFromCapture", tr("Make limits from this capture"), {}, [this] { fromCapture(); });
  add("openBudget", tr("Open budget…"), QKeySequence(tr("Ctrl+Shift+B")), [this] {
    const QString path =
        QFileDialog::getOpenFileName(this, tr("Open budget"), {}, tr("Budgets (*.budget.toml)"));
    if (!path.isEmpty()) openFile(path);
  });
  add("saveBudget", tr("Save budget as…"), {}, [this] { saveAs(); });
  add("addLimitAction", tr("Add limit…"), Qt::Key_Insert, [this] { addLimit(); });
  add("editLimitAction", tr("Change limit…"), Qt::Key_F2, [this] { editLimit(); });
  add("removeLimitAction", tr("Remove limit"), Qt::Key_Delete, [this] { removeLimit(); });
  add("showBudgetFile", tr("Show file"), QKeySequence(tr("Ctrl+U")),
      [this] { show_text_->toggle(); });
}

void BudgetDesk::enter() { c_.session.wantBudget(); }

void BudgetDesk::applyTheme() { table_->viewport()->update(); }

book::Document BudgetDesk::document() const {
  const auto* own = c_.session.book() ? c_.session.book()->document(book::kBudget) : nullptr;
  return own ? *own : book::Document{"limits.budget.toml", "", "", ""};
}

void BudgetDesk::take(const BudgetViewPtr& view) {
  view_ = view;
  const bool any = view && !view->text.empty();
  stack_->setCurrentIndex(any ? 1 : 0);
  if (!any) {
    const bool captures = c_.session.book() && !c_.session.book()->rows.empty();
    std::vector<EmptyState::Offer> offers;
    if (captures)
      offers.emplace_back(tr("Make limits from this capture"), [this] { fromCapture(); });
    offers.emplace_back(tr("Open budget…"),
                        [this] { c_.actions.run(c_.actions.find(QStringLiteral("openBudget"))); });
    if (!captures)
      offers.emplace_back(tr("To the bench"), [this] { emit deskWanted(QStringLiteral("Bench")); });
    empty_->say(tr("No budget yet"),
                tr("A budget is a file beside the firmware: limits and expectations, checked here "
                   "and by kuvio-cli on every build."),
                offers);
    model_->setView(nullptr);
    emit footChanged();
    return;
  }
  const int row = table_->currentIndex().row();
  // A text that is not valid leaves the rows as they were.
  if (view->budget || !model_->view()) model_->setView(view);
  if (view->budget) {
    title_->setText(q(view->budget->name));
    table_->setColumnWidth(LimitsModel::Name, 210);
    table_->setColumnWidth(LimitsModel::Expect, 92);
    table_->setColumnWidth(LimitsModel::Bound, 104);
    for (int i = LimitsModel::FirstBuild; i < model_->columnCount(); ++i) {
      table_->horizontalHeader()->setSectionResizeMode(i, QHeaderView::Stretch);
    }
    if (row >= 0) table_->setCurrentIndex(model_->index(std::min(row, model_->rowCount() - 1), 0));
  }
  QStringList left_out;
  for (std::size_t i = 0; i < view->results.size() && i < view->builds.size(); ++i) {
    if (const auto& unnamed = view->results[i].unnamed; !unnamed.empty())
      left_out << q(formats::unnamed_text(unnamed, view->builds[i])) + tr(".");
  }
  left_out_->setText(left_out.join(QLatin1Char(' ')));
  left_out_->setVisible(!left_out.isEmpty());
  const QString text = q(view->text);
  if (text_->toPlainText() != text) text_->setPlainText(text);
  text_error_->setText(q(view->error));
  if (!view->error.empty()) {
    show_text_->setChecked(true);
    emit told(tr("The budget cannot be used: %1").arg(q(view->error)));
  }
  disk_banner_->setVisible(view->on_disk.has_value());
  disk_->setText(tr("%1 changed on disk.").arg(q(document().name)));
  emit footChanged();
}

void BudgetDesk::keep(const std::string& text, const QString& why) {
  book::Document next = document();
  try {
    const BookView& book = *c_.session.book();
    // What it names may be beside the file, where only the check can look: a stand-in serves here.
    formats::parse_budget(text, next.name, [&](const std::string& name) -> std::string {
      for (const char* kind : {book::kDuty, book::kBattery}) {
        const auto* d = book.document(kind);
        if (d && d->name == name) return d->text;
      }
      return name.find("battery") != std::string::npos
                 ? "kuvio = \"battery/1\"\ncapacity = \"1 Ah\"\n"
                 : "kuvio = \"duty/1\"\nrest = \"-\"\n";
    });
  } catch (const Error& e) {
    text_error_->setText(q(e.where() + ": " + e.why()));
    show_text_->setChecked(true);
    emit told(tr("%1: %2. The budget stays as it was.").arg(q(e.where()), q(e.why())));
    return;
  }
  text_error_->clear();
  next.text = text;
  c_.session.put(why, {book::document_note(book::kBudget, next)});
}

void BudgetDesk::showForm(const Limit& limit, bool existing) {
  QStringList states;
  std::set<std::string> known;
  if (view_) {
    for (const std::string& s : view_->states) known.insert(s);
  }
  if (c_.view.capture()) {
    for (const auto& [state, fill] : c_.view.capture()->fills) {
      if (!is_built_in_state(state)) known.insert(state);
    }
  }
  for (const std::string& s : known) states << q(s);
  const BookView& book = *c_.session.book();
  const bool field = book.document(book::kDuty) && book.document(book::kBattery);
  auto* dialog = new LimitDialog(states, field || limit.scope == Scope::field, this);
  dialog->setLimit(limit, existing);
  connect(dialog, &LimitDialog::limitAccepted, this,
          [this, existing](const Limit& made) { putLimit(made, existing); });
  dialog->show();
}

void BudgetDesk::addLimit() {
  if (!c_.session.book()) return;
  Limit limit;
  limit.scope = Scope::state;
  if (view_ && !view_->states.empty()) limit.state = view_->states.front();
  showForm(limit, false);
}

void BudgetDesk::editLimit() {
  const Limit* limit = model_->limit(table_->currentIndex().row());
  if (!limit) {
    emit told(tr("Pick the limit that is to be changed."));
    return;
  }
  showForm(*limit, true);
}

void BudgetDesk::removeLimit() {
  const Limit* limit = model_->limit(table_->currentIndex().row());
  if (!limit) {
    emit told(tr("Pick the limit that is to go."));
    return;
  }
  if (model_->rowCount() == 1) {
    c_.session.put(tr("budget removed"), {{0, book::kBudget, std::nullopt}});
    return;
  }
  const book::Document own = document();
  const auto of_block = std::count_if(view_->budget->limits.begin(), view_->budget->limits.end(),
                                      [&](const Limit& l) { return l.block == limit->block; });
  const std::string text =
      of_block == 1 ? formats::toml_remove_block(own.text, own.name, "limit", limit->block)
                    : formats::toml_remove(own.text, own.name,
                                           {"limit", limit->block, key_of(limit->quantity), ""});
  keep(text, tr("limit on %1 removed").arg(q(limit->name())));
}

void BudgetDesk::putLimit(const Limit& limit, bool existing) {
  book::Document own = document();
  std::string text = own.text;
  const auto quoted = [&](double v) {
    return formats::toml_quote(formats::quantity_text(v, dimension_of(limit.quantity), 5));
  };
  if (existing) {
    const auto set = [&](const char* inner, const std::optional<double>& value) {
      const formats::TomlPlace place{"limit", limit.block, key_of(limit.quantity), inner};
      text = value ? formats::toml_set(text, own.name, place, quoted(*value))
                   : formats::toml_remove(text, own.name, place);
    };
    set("expect", limit.expect);
    if (limit.max) set("max", limit.max);
    if (limit.min) set("min", limit.min);
    const Of usual = limit.quantity == LimitQuantity::peak_current ? Of::worst : Of::mean;
    const formats::TomlPlace of{"limit", limit.block, key_of(limit.quantity), "of"};
    text = limit.of == usual ? formats::toml_remove(text, own.name, of)
                             : formats::toml_set(text, own.name, of,
                                                 limit.of == Of::mean  ? "\"mean\""
                                                 : limit.of == Of::p95 ? "\"p95\""
                                                                       : "\"worst\"");
    keep(text, tr("limit on %1").arg(q(limit.name())));
    return;
  }
  const BookView& book = *c_.session.book();
  const auto name = [&](const char* kind) {
    const auto* d = book.document(kind);
    return d ? d->name : std::string();
  };
  if (text.empty()) {
    std::string recipe = name(book::kRecipe);
    if (recipe.empty()) {
      emit told(
          tr("A budget needs a recipe that finds its states: make one on the Trace desk "
             "first."));
      return;
    }
    text =
        "kuvio = \"budget/1\"\nname = \"Limits\"\nrecipe = " + formats::toml_quote(recipe) + "\n";
  }
  text = formats::toml_append(text,
                              formats::limit_block(limit, name(book::kDuty), name(book::kBattery)));
  keep(text, tr("limit on %1").arg(q(limit.name())));
}

void BudgetDesk::limitFrom(const SpanFigures& span, const QString& state) {
  if (!c_.session.book()) return;
  Limit limit;
  const bool built_in = state.isEmpty() || is_built_in_state(state.toStdString());
  limit.scope = built_in ? Scope::whole : Scope::state;
  limit.state = built_in ? "" : state.toStdString();
  limit.quantity = LimitQuantity::mean_current;
  limit.expect = span.mean();
  if (limit.expect) limit.max = *limit.expect * 1.1;
  showForm(limit, false);
}

void BudgetDesk::fromCapture() {
  const auto& capture = c_.view.capture();
  if (!capture || capture->visits.empty()) {
    emit told(tr("Split a capture into states first: its figures become the limits."));
    emit deskWanted(QStringLiteral("Trace"));
    return;
  }
  limits_from_capture(c_.session, capture->info.id);
}

void BudgetDesk::openFile(const QString& path) {
  const BookViewPtr book = c_.session.book();
  if (!book) return;
  c_.session.withFiles(
      [this, path = path.toStdString(), book](const std::stop_token&) -> std::function<void()> {
        namespace fs = std::filesystem;
        const std::string text = formats::read_text_file(path);
        const std::string name = fs::path(path).filename().string();
        std::vector<book::Note> notes{book::document_note(book::kBudget, {name, path, text, text})};
        std::set<std::string> taken;
        // The files it names come into the book where there is none of their kind yet.
        const auto take = [&](const char* kind, const std::string& one) {
          const std::string file = (fs::path(path).parent_path() / one).string();
          const std::string content = formats::read_text_file(file);
          if (!book->document(kind) && taken.insert(kind).second)
            notes.push_back(book::document_note(
                kind, {fs::path(one).filename().string(), file, content, content}));
          return content;
        };
        formats::parse_budget(text, path, [&](const std::string& one) {
          return take(one.find(".battery.") != std::string::npos ? book::kBattery : book::kDuty,
                      one);
        });
        const formats::TomlTable root = formats::TomlTable::text(text, path, "budget");
        formats::parse_recipe(take(book::kRecipe, root.string("recipe")), root.string("recipe"));
        return [this, notes, name] { c_.session.put(tr("budget %1").arg(q(name)), notes); };
      },
      tr("Reading %1").arg(path.section(QLatin1Char('/'), -1)));
}

void BudgetDesk::saveAs() {
  book::Document next = document();
  if (next.text.empty()) return;
  const QString path = QFileDialog::getSaveFileName(this, tr("Save budget"),
                                                    q(next.name).section(QLatin1Char('/'), -1),
                                                    tr("Budgets (*.budget.toml)"));
  if (path.isEmpty()) return;
  next.path = path.toStdString();
  next.name = path.section(QLatin1Char('/'), -1).toStdString();
  next.saved = next.text;
  // What it names is written beside it where it is not there yet: a budget alone checks nothing.
  std::vector<book::Document> beside;
  for (const char* kind : {book::kRecipe, book::kDuty, book::kBattery}) {
    if (const auto* d = c_.session.book()->document(kind)) {
      // A book's names are file names, and of their kind, or nothing is written by them.
      if (next.text.find(d->name) != std::string::npos && book::is_plain_name(kind, d->name))
        beside.push_back(*d);
    }
  }
  c_.session.withFiles(
      [this, next, beside](const std::stop_token&) -> std::function<void()> {
        namespace fs = std::filesystem;
        formats::write_file(next.path, next.text);
        trust_file(q(next.path));
        QStringList more;
        for (const book::Document& d : beside) {
          const fs::path file = fs::path(next.path).parent_path() / d.name;
          std::error_code ignored;
          if (fs::exists(fs::symlink_status(file, ignored))) continue;
          formats::write_file(file.string(), d.text);
          more << q(d.name);
        }
        return [this, next, more] {
          c_.session.put(tr("budget saved"), {book::document_note(book::kBudget, next)});
          if (!more.isEmpty())
            emit told(
                tr("Beside it, because it names them: %1").arg(more.join(QStringLiteral(", "))));
        };
      },
      tr("Writing %1").arg(q(next.name)));
}

std::vector<FootPart> BudgetDesk::foot() const {
  if (!view_ || view_->text.empty()) return {};
  const book::Document own = document();
  std::vector<FootPart> out{
      {own.path.empty() ? tr("%1, in the book only").arg(q(own.name))
       : view_->not_looked_at
           ? tr("%1, as in the book; the file is not below it and was not read").arg(q(own.path))
       : own.text == own.saved ? q(own.path)
                               : tr("%1, changed and not saved").arg(q(own.path)),
       {}}};
  for (std::size_t i = 0; i < view_->results.size() && i < view_->builds.size(); ++i) {
    out.push_back({QStringLiteral("%1 %2").arg(q(view_->builds[i]),
                                               view_->troubles[i].empty()
                                                   ? verdictText(view_->results[i].verdict)
                                                   : tr("– not checked")),
                   q(view_->troubles[i])});
  }
  return out;
}

}  // namespace kuvio::app
