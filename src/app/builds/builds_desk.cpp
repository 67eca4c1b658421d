// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/builds_desk.h"

#include "app/builds/sentence.h"
#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/state_edits.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/total_strip.h"
#include "book/notes.h"

#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

QString build_of(const QComboBox* box) { return box->currentData().toString(); }

bool is_split(const BookView& book, const std::string& build) {
  return std::any_of(book.rows.begin(), book.rows.end(),
                     [&](const CaptureRow& r) { return r.info.build == build && r.hasStates(); });
}

/// One that is not split can be chosen, and says so.
void add_build(QComboBox* box, const BookView& book, const std::string& build) {
  const bool split = is_split(book, build);
  box->addItem(split ? qs(build) : QObject::tr("%1 · not split").arg(qs(build)), qs(build));
  if (!split) box->setItemData(box->count() - 1, Theme::current().muted(), Qt::ForegroundRole);
}

constexpr std::size_t kOffers = 5;  // of other builds, where two cannot be compared
}  // namespace

BuildsDesk::BuildsDesk(const Context& context, QWidget* parent) : Desk(parent), context_(context) {
  setObjectName(QStringLiteral("buildsDesk"));
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  head_ = new QWidget(this);
  outer->addWidget(head_);
  stack_ = new QStackedWidget(this);
  outer->addWidget(stack_, 1);
  empty_ = new EmptyState(QStringLiteral("buildsEmpty"), this);
  stack_->addWidget(empty_);
  auto* page = new QWidget(this);
  stack_->addWidget(page);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(24, 6, 24, 8);
  column->setSpacing(6);
  makeHead();
  second_ = remark({}, page);
  second_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column->addWidget(second_);
  column->addWidget(makeBanner());
  column->addSpacing(6);
  column->addLayout(makePlots(page), 5);
  column->addWidget(makeTable(page), 4);
  connectParts();
  takeBook();
}

/// The sentence, and the choosers: these are there whatever can be compared.
void BuildsDesk::makeHead() {
  QWidget* page = head_;
  auto* head = beside_or_below(head_);
  head->setContentsMargins(24, 16, 24, 0);
  first_ = new QLabel(page);
  first_->setObjectName(QStringLiteral("sentence"));
  first_->setAccessibleName(tr("The comparison in one sentence"));
  first_->setFont(Theme::baseFont(19, QFont::DemiBold));
  first_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
  first_->setWordWrap(true);
  head->addWidget(first_, 1);
  auto* choosers = new QHBoxLayout;
  head->addLayout(choosers);
  const auto choice = [&](const QString& name, const QString& text) {
    auto* label = remark(text, page);
    label->setWordWrap(false);
    auto* box = new QComboBox(page);
    box->setObjectName(name);
    box->setAccessibleName(text);
    box->setMinimumWidth(Px{110});
    box->setMaximumWidth(Px{230});
    choosers->addWidget(label);
    choosers->addWidget(box);
    return box;
  };
  candidate_ = choice(QStringLiteral("candidate"), tr("Candidate"));
  reference_ = choice(QStringLiteral("reference"), tr("against"));
  if (is_cramped()) choosers->addStretch(1);
}

QLayout* BuildsDesk::makePlots(QWidget* page) {
  auto* plots = beside_or_below();
  plots->setSpacing(28);
  auto* left = new QVBoxLayout;
  left->addWidget(heading(tr("MEAN CURRENT, STATE BY STATE"), page));
  bridge_ = new BridgeView(page);
  offer_picture(bridge_);
  left->addWidget(bridge_, 1);
  auto* right = new QVBoxLayout;
  typical_caption_ = heading(tr("TYPICAL VISIT"), page);
  right->addWidget(typical_caption_);
  typical_ = new TypicalPlot(page);
  offer_picture(typical_);
  right->addWidget(typical_, 1);
  plots->addLayout(left, 5);
  plots->addLayout(right, 4);
  return plots;
}

QWidget* BuildsDesk::makeTable(QWidget* page) {
  model_ = new DifferenceModel(this);
  table_ = new NotebookTable(QStringLiteral("differences"), tr("Difference ledger"), 24, page);
  table_->setModel(model_);
  auto* header = table_->horizontalHeader();
  header->setMinimumSectionSize(60);
  const int widths[] = {130, 110, 110, 250, 110, 110, 90, 160};
  for (int i = 0; i < DifferenceModel::Columns; ++i) table_->setColumnWidth(i, Px{widths[i]});
  header->setSectionResizeMode(DifferenceModel::Interval, QHeaderView::Stretch);
  table_->setMinimumHeight(Px{140});
  auto* both = new QWidget(page);
  auto* column = new QVBoxLayout(both);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(table_);
  column->addWidget(new TotalStrip(table_, both));
  return both;
}

void BuildsDesk::connectParts() {
  connect(&context_.session, &Session::bookOpened, this, &BuildsDesk::takeBook);
  connect(&context_.session, &Session::buildsReady, this, &BuildsDesk::take);
  connect(&context_.session, &Session::typicalReady, this, [this](const TypicalViewPtr& view) {
    if (!context_.session.book() || qs(view->state) != picked_) return;
    typical_->setView(view, context_.session.book()->ink_of(view->reference),
                      context_.session.book()->ink_of(view->candidate));
    typical_caption_->setText(tr("TYPICAL VISIT · ") + typical_->caption());
  });
  connect(candidate_, &QComboBox::currentIndexChanged, this, [this] {
    if (!taking_) ask();
  });
  connect(reference_, &QComboBox::activated, this, [this] {
    const QString build = build_of(reference_);
    context_.session.put(tr("reference is %1").arg(build), {{0, "reference", build.toStdString()}});
  });
  connect(bridge_, &BridgeView::picked, this, &BuildsDesk::pick);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            const QString state = index.data(StateRole).toString();
            if (!state.isEmpty()) pick(state);
          });
}

QWidget* BuildsDesk::makeBanner() {
  banner_ = new QWidget(this);
  banner_->setObjectName(QStringLiteral("unlikeBanner"));
  auto* row = new QHBoxLayout(banner_);
  row->setContentsMargins(0, 4, 0, 0);
  unlike_ = new QLabel(banner_);
  unlike_->setObjectName(QStringLiteral("unlike"));
  unlike_->setWordWrap(true);
  reason_ = new QLineEdit(banner_);
  reason_->setObjectName(QStringLiteral("unlikeReason"));
  reason_->setAccessibleName(tr("Why they are compared anyway"));
  reason_->setPlaceholderText(tr("Compare anyway, because…"));
  accept_ = button(tr("Compare anyway"), QStringLiteral("compareAnyway"), banner_);
  row->addWidget(unlike_, 3);
  row->addWidget(reason_, 2);
  row->addWidget(accept_);
  connect(accept_, &QPushButton::clicked, this, &BuildsDesk::acceptUnlike);
  connect(reason_, &QLineEdit::returnPressed, this, &BuildsDesk::acceptUnlike);
  banner_->hide();
  return banner_;
}

void BuildsDesk::acceptUnlike() {
  if (!view_) return;
  const std::string reason = reason_->text().trimmed().toStdString();
  const std::string key = "unlike/" + view_->reference + "/" + view_->candidate;
  if (view_->accepted.empty() && reason.empty()) {
    emit messageReported(tr("Give a reason; it is stored with the comparison."));
    reason_->setFocus();
    return;
  }
  if (!view_->accepted.empty()) {
    context_.session.put(tr("comparison despite differences withdrawn"), {{0, key, std::nullopt}});
  } else {
    context_.session.put(tr("compared despite differences"), {{0, key, reason}});
  }
}

void BuildsDesk::enter() {
  shown_ = true;
  ask();
}

void BuildsDesk::takeBook() {
  const BookViewPtr& book = context_.session.book();
  head_->setVisible(book && book->builds.size() > 1);
  if (!book || book->builds.size() < 2) {
    stack_->setCurrentIndex(0);
    empty_->say(book && !book->builds.empty() ? tr("One build so far") : tr("No build yet"),
                tr("Record another build to compare it here: where it draws more or less, and what "
                   "that means for battery life."),
                {{tr("Go to Bench"), [this] { emit deskRequested(DeskId::bench); }}});
    return;
  }
  stack_->setCurrentIndex(1);
  taking_ = true;
  const QString was = build_of(candidate_), reference = qs(book->reference());
  reference_->clear();
  candidate_->clear();
  for (const std::string& b : book->builds) {
    add_build(reference_, *book, b);
    if (qs(b) != reference) add_build(candidate_, *book, b);
  }
  reference_->setCurrentIndex(reference_->findData(reference));
  if (candidate_->findData(was) >= 0) candidate_->setCurrentIndex(candidate_->findData(was));
  taking_ = false;
  if (isVisible()) ask();
}

void BuildsDesk::ask() {
  if (!context_.session.book() || build_of(candidate_).isEmpty()) return;
  context_.session.requestBuilds(
      {build_of(reference_).toStdString(), build_of(candidate_).toStdString(), std::nullopt});
}

void BuildsDesk::take(const BuildsViewPtr& view) {
  view_ = view;
  if (!view->trouble.empty()) {
    stack_->setCurrentIndex(0);
    first_->clear();
    sayTrouble();
    emit footChanged();
    return;
  }
  compared_ = qs(view->candidate);
  stack_->setCurrentIndex(1);
  const Sentence words = sentence_of(*view);
  first_->setText(words.first);
  second_->setText(words.second);
  const BookView& book = *context_.session.book();
  bridge_->setView(view, book.ink_of(view->reference), book.ink_of(view->candidate));
  model_->setView(view);
  banner_->setVisible(!view->comparison.alike());
  if (!view->comparison.alike()) showMismatch();
  // Until it is accepted an unlike comparison is reported, but not in one sentence.
  first_->setEnabled(view->comparison.alike() || !view->accepted.empty());
  if (model_->rowOf(picked_.toStdString()) < 0 && !view->comparison.rows.empty()) {
    const auto most = std::max_element(view->comparison.rows.begin(), view->comparison.rows.end(),
                                       [](const CompareRow& a, const CompareRow& b) {
                                         return std::fabs(a.bridge) < std::fabs(b.bridge);
                                       });
    picked_ = qs(most->state);
  }
  pick(picked_);
  emit footChanged();
}

/// What is lacking, and what does it: a split by the book's recipe; or back to what could be
/// compared, and on to every other build.
void BuildsDesk::sayTrouble() {
  std::vector<EmptyState::Offer> offers;
  const BookView& book = *context_.session.book();
  std::vector<std::int64_t> unsplit;
  for (const CaptureRow& r : book.rows) {
    const bool of_these = r.info.build == view_->reference || r.info.build == view_->candidate;
    if (of_these && !is_split(book, r.info.build)) unsplit.push_back(r.info.id);
  }
  if (const book::Document* recipe = book.document(DocumentKind::recipe);
      recipe && !unsplit.empty()) {
    offers.emplace_back(tr("Split with the book's recipe"), [this, unsplit, recipe = *recipe] {
      apply_recipe(context_.session, unsplit, recipe);
    });
  }
  offers.emplace_back(tr("Go to Trace"), [this] { emit deskRequested(DeskId::trace); });
  for (int i = 0; i < candidate_->count(); ++i) {
    const QString build = candidate_->itemData(i).toString();
    if (build == qs(view_->candidate) || offers.size() > kOffers) continue;
    const bool back = build == compared_;
    const EmptyState::Offer offer{back ? tr("Back to %1").arg(build) : tr("Compare %1").arg(build),
                                  [this, i] { candidate_->setCurrentIndex(i); }};
    offers.insert(back ? offers.begin() : offers.end(), offer);
  }
  empty_->say(
      tr("%1 and %2 cannot be compared yet").arg(qs(view_->reference), qs(view_->candidate)),
      qs(view_->trouble), offers);
}

void BuildsDesk::showMismatch() {
  QStringList parts;
  constexpr qsizetype kNamed = 8, kWidth = 60;  // conditions come from anywhere
  for (const ConditionMismatch& u : view_->comparison.unlike) {
    if (parts.size() == kNamed) {
      parts << tr("and %1 more").arg(view_->comparison.unlike.size() - kNamed);
      break;
    }
    const auto side = [](const std::string& value) {
      return value.empty() ? QStringLiteral("–") : qs(value).left(kWidth);
    };
    parts << QStringLiteral("%1 %2 / %3")
                 .arg(qs(u.condition).left(kWidth), side(u.reference), side(u.candidate));
  }
  const bool accepted = !view_->accepted.empty();
  unlike_->setText(tr("Conditions differ: %1.").arg(parts.join(QStringLiteral(", "))) +
                   (accepted ? tr(" Compared anyway: %1").arg(qs(view_->accepted)) : QString()));
  QPalette p = unlike_->palette();
  p.setColor(QPalette::WindowText, accepted ? Theme::current().muted() : Theme::current().accent());
  unlike_->setPalette(p);
  reason_->setVisible(!accepted);
  accept_->setText(accepted ? tr("Withdraw") : tr("Compare anyway"));
  accept_->setAccessibleName(accept_->text());
}

void BuildsDesk::pick(const QString& state) {
  picked_ = state;
  bridge_->setPicked(state.toStdString());
  const int row = model_->rowOf(state.toStdString());
  if (row >= 0 && table_->currentIndex().row() != row)
    table_->setCurrentIndex(model_->index(row, 0));
  if (view_)
    context_.session.requestTypical({view_->reference, view_->candidate, state.toStdString()});
}

void BuildsDesk::applyTheme() {
  bridge_->update();
  typical_->update();
  if (view_ && view_->trouble.empty()) take(view_);
}

void BuildsDesk::setUnit(ChargeUnit unit) { model_->setUnit(unit); }

std::vector<FootPart> BuildsDesk::foot() const {
  if (!view_ || !view_->trouble.empty()) return {};
  const bool duty =
      context_.session.book() && context_.session.book()->document(DocumentKind::duty);
  return {{tr("Reference %1 · candidate %2").arg(qs(view_->reference), qs(view_->candidate)), {}},
          {view_->field ? tr("means in the field, by %1")
                              .arg(qs(context_.session.book()->document(DocumentKind::duty)->name))
           : duty ? tr("as captured: the duty plan needs states that were not captured")
                  : tr("as captured: there is no duty plan (Lifetime desk)"),
           {}}};
}

}  // namespace kuvio::app
