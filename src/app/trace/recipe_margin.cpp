// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/recipe_margin.h"

#include "app/engine/account_views.h"
#include "app/engine/book_view.h"
#include "app/engine/fills.h"
#include "app/engine/state_edits.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/trace/marks.h"
#include "app/trace/overview.h"
#include "app/trace/rule_card.h"
#include "app/trace/rule_hints.h"
#include "core/error.h"
#include "core/level_scale.h"
#include "core/number_text.h"
#include "formats/project_edits.h"
#include "formats/project_text.h"
#include "formats/toml_edit.h"

#include <QFileDialog>
#include <QVBoxLayout>

#include <cmath>

namespace kuvio::app {
namespace {

constexpr Px kNameWidth{104};  // pixels

/// What the levels of a capture hang on: other samples, another channel or calibration of it.
std::string levels_key(const CaptureView& capture) {
  std::string out = std::to_string(capture.info.id) + '/' + capture.channel.name + '/' +
                    std::to_string(capture.channel.samples);
  const auto known = capture.extremes.find(capture.channel.name);
  if (known == capture.extremes.end()) return out;
  for (const double v : {known->second.first, known->second.second})
    out += '/' + QString::number(v, 'g', 17).toStdString();
  return out;
}

}  // namespace

RecipeMargin::RecipeMargin(ViewState& view, Session& session, Documents& documents,
                           const Lanes& lanes, QWidget* parent)
    : QWidget(parent), view_(view), session_(session), documents_(documents) {
  setObjectName(QStringLiteral("recipe"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  stack_ = new QStackedWidget(this);
  column->addWidget(stack_);
  empty_ = new EmptyState(QStringLiteral("recipeEmpty"), this);
  empty_->say(tr("No recipe yet"),
              tr("A recipe finds states by current level. Start with one rule, open a file, or "
                 "mark a span on the trace and name it as a state."),
              {{tr("New recipe"), [this] { newRecipe(); }},
               {tr("Open recipe…"), [this] { openRecipe(); }}});
  stack_->addWidget(empty_);

  auto* page = new QWidget(this);
  auto* rows = new QVBoxLayout(page);
  rows->setContentsMargins(0, 6, 0, 8);
  rows->setSpacing(4);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(10, 0, 10, 0);
  name_ = new QLabel(page);
  name_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  name_->setFont(Theme::baseFont(12));
  name_->setForegroundRole(QPalette::PlaceholderText);
  form_or_text_ = button(tr("Text"), QStringLiteral("recipeText"), page);
  form_or_text_->setCheckable(true);
  form_or_text_->setFlat(true);
  head->addWidget(name_, 1);
  auto* add = button(tr("+ Rule"), QStringLiteral("recipeAdd"), page);
  add->setAccessibleName(tr("Add a rule"));
  add->setFlat(true);
  head->addWidget(add);
  head->addWidget(form_or_text_);
  rows->addLayout(head);
  levels_ = new LevelView(lanes, page);
  rows->addWidget(levels_);
  forms_ = new QStackedWidget(page);
  cards_ = new QWidget;
  area_ = scroll_area(cards_, forms_);
  area_->setObjectName(QStringLiteral("ruleArea"));
  area_->setAccessibleName(tr("Rules of the recipe"));
  area_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  new QVBoxLayout(cards_);
  cards_->layout()->setContentsMargins(0, 0, 0, 0);
  cards_->layout()->setSpacing(0);
  forms_->addWidget(area_);
  source_ = new SourceEditor(QStringLiteral("recipe"), tr("Text of the recipe"), forms_);
  source_->setContentsMargins(8, 0, 8, 0);
  forms_->addWidget(source_);
  rows->addWidget(forms_, 1);
  status_ = remark({}, page);
  status_->setObjectName(QStringLiteral("recipeStatus"));
  status_->setContentsMargins(10, 0, 10, 0);
  rows->addWidget(status_);
  other_ = new QWidget(page);
  auto* others = new QHBoxLayout(other_);
  others->setContentsMargins(10, 0, 10, 0);
  for (const int by : {-1, 1}) {
    auto* find =
        button(by < 0 ? tr("Fewer states") : tr("More states"),
               by < 0 ? QStringLiteral("fewerStates") : QStringLiteral("moreStates"), other_);
    find->setFlat(true);
    connect(find, &QPushButton::clicked, this, [this, by] { findOther(by); });
    others->addWidget(find, 1);
  }
  other_->hide();
  rows->addWidget(other_);
  auto* foot = new QHBoxLayout;
  foot->setContentsMargins(10, 0, 10, 0);
  apply_ = button(tr("Split capture"), QStringLiteral("recipeApply"), page, true);
  apply_->setToolTip(tr("Split the capture shown with this recipe"));
  apply_all_ = button(tr("Split all"), QStringLiteral("recipeApplyAll"), page);
  foot->addWidget(apply_, 1);
  foot->addWidget(apply_all_, 1);
  rows->addLayout(foot);
  stack_->addWidget(page);

  connect(form_or_text_, &QPushButton::toggled, this, [this](bool on) {
    forms_->setCurrentIndex(on ? 1 : 0);
    levels_->setVisible(!on);
  });
  connect(apply_, &QPushButton::clicked, this, [this] { apply(false); });
  connect(apply_all_, &QPushButton::clicked, this, [this] { apply(true); });
  connect(add, &QPushButton::clicked, this, &RecipeMargin::addRule);
  connect(source_, &SourceEditor::applied, this,
          [this](const QString& text) { commit(text.toStdString(), tr("recipe's text")); });
  connect(&documents_, &Documents::refused, this,
          [this](DocumentKind kind, const QString& trouble) {
            if (kind != DocumentKind::recipe) return;
            source_->setTrouble(trouble);
            if (forms_->currentWidget() != source_) takeBook();  // back to what stands
          });
  connect(levels_, &LevelView::edgeDragged, this, &RecipeMargin::dragEdge);
  connect(&session_, &Session::bookOpened, this, &RecipeMargin::takeBook);
  connect(&session_, &Session::previewReady, this, &RecipeMargin::takePreview);
  connect(&session_, &Session::histogramReady, this, [this](const LevelHistogramPtr& histogram) {
    takeHistogram(showsCurrent() ? histogram : nullptr);
    if (recipe_) session_.requestPreview(document_.text);
  });
  connect(&view_, &ViewState::captureChanged, this, &RecipeMargin::askPreview);
  connect(&view_, &ViewState::captureChanged, this, [this] {
    const std::size_t ticked = view_.shown() ? view_.shown()->captures.size() : 0;
    apply_all_->setText(ticked > 1 ? tr("Split %1 ticked").arg(ticked) : tr("Split all"));
    apply_all_->setToolTip(ticked > 1 ? tr("Split the ticked captures with this recipe")
                                      : tr("Split every capture in the book with this recipe"));
  });
  connect(&session_, &Session::fitReady, this, [this](const FitViewPtr& fit) {
    fit_ = fit;
    sayStatus();
  });
}

void RecipeMargin::showEvent(QShowEvent*) {
  askPreview();
  if (recipe_) showThresholds(recipe_->recipe.states, -1, false);
}

void RecipeMargin::hideEvent(QHideEvent*) { emit thresholdsChanged({}); }

/// Edges that two rules share are one line.
void RecipeMargin::showThresholds(const std::vector<StateRule>& rules, int held, bool upper) {
  std::vector<Threshold> out;
  const auto add = [&](std::size_t rule, double level, bool is_upper) {
    if (!std::isfinite(level) || !(level > 0)) return;
    const QString text = (is_upper ? tr("%1 below %2") : tr("%1 above %2"))
                             .arg(qs(rules[rule].name), qs(with_prefix(level, "A", 3)));
    const bool pencil = static_cast<int>(rule) == held && is_upper == upper;
    for (Threshold& t : out) {
      if (std::fabs(t.level - level) > 1e-6 * level) continue;
      t.text = pencil ? text : t.text;
      t.pencil = t.pencil || pencil;
      return;
    }
    out.push_back({level, text, pencil, static_cast<int>(rule), is_upper});
  };
  for (std::size_t i = 0; i < rules.size(); ++i) {
    if (rules[i].elsewhere()) continue;
    add(i, rules[i].level.low, false);
    add(i, rules[i].level.high, true);
  }
  if (isVisible()) emit thresholdsChanged(out);
}

void RecipeMargin::takeBook() {
  const book::Document* document = documents_.find(DocumentKind::recipe);
  stack_->setCurrentIndex(document ? 1 : 0);
  if (!document) {
    emit thresholdsChanged({});
    document_ = {};
    recipe_.reset();
    return;
  }
  document_ = *document;
  QString name = qs(document_.name);
  if (name.endsWith(QStringLiteral(".recipe.toml"))) name.chop(12);
  // Where it is kept, the hint says.
  const bool unsaved = !document_.path.empty() && document_.text != document_.saved;
  if (unsaved) name += tr(" · not saved");
  name_->setText(QFontMetrics(name_->font()).elidedText(name, Qt::ElideMiddle, kNameWidth));
  name_->setToolTip(documents_.whereabouts(DocumentKind::recipe));
  source_->setText(qs(document_.text));
  takeText(document_.text);
  askPreview();
}

void RecipeMargin::takeText(const std::string& text) {
  try {
    recipe_ = formats::parse_recipe(text, document_.name);
    source_->setTrouble({});
  } catch (const Error& e) {
    source_->setTrouble(qs(e.where() + ": " + e.why()));
    form_or_text_->setChecked(true);
    return;
  }
  if (rules_.size() != recipe_->recipe.states.size()) buildCards();
  const Fills fills = view_.capture() && !view_.capture()->fills.empty()
                          ? fills_for(recipe_->recipe.states, view_.capture()->fills)
                          : fills_for(text, {});
  other_->setVisible(document_.name == kFoundRecipe);
  levels_->setRules(recipe_->recipe.states, fills);
  showThresholds(recipe_->recipe.states, -1, false);
  for (std::size_t i = 0; i < rules_.size(); ++i) {
    const StateRule& rule = recipe_->recipe.states[i];
    rules_[i]->setRule(rule, Theme::current().fill(rule.name, fills));
  }
}

void RecipeMargin::buildCards() {
  for (RuleCard* card : rules_) {
    card->hide();
    card->deleteLater();
  }
  rules_.clear();
  QLayout* layout = cards_->layout();
  while (QLayoutItem* item = layout->takeAt(0)) delete item;
  for (std::size_t i = 0; i < recipe_->recipe.states.size(); ++i) {
    auto* card = new RuleCard(static_cast<int>(i), cards_);
    const auto state_of = [this](int rule) {
      return qs(recipe_->recipe.states[static_cast<std::size_t>(rule)].name);
    };
    connect(card, &RuleCard::edgeEdited, this,
            [this, state_of](int rule, formats::BandEdge edge, std::optional<double> level) {
              setEdge(rule, edge, level, tr("rule of %1").arg(state_of(rule)));
            });
    connect(card, &RuleCard::lengthEdited, this,
            [this, state_of](int rule, const char* key, std::optional<double> length) {
              commit(formats::set_rule_length(document_.text, document_.name,
                                              static_cast<std::size_t>(rule), key, length),
                     tr("rule of %1").arg(state_of(rule)));
            });
    connect(card, &RuleCard::renamed, this, [this, state_of](int rule, const QString& name) {
      const QString was = state_of(rule);
      commit(formats::rename_rule(document_.text, document_.name, static_cast<std::size_t>(rule),
                                  name.toStdString()),
             tr("rule %1 renamed to %2").arg(was, name));
    });
    connect(card, &RuleCard::removed, this, [this, state_of](int rule) {
      const QString was = state_of(rule);
      commit(formats::remove_rule(document_.text, document_.name, static_cast<std::size_t>(rule)),
             tr("rule of %1 removed").arg(was));
    });
    connect(card->grip(), &RuleGrip::stepped, this, [this, i](int direction) {
      moveRule(static_cast<int>(i), static_cast<int>(i) + direction);
    });
    connect(card->grip(), &RuleGrip::dragged, this, [this, i](int global_y, bool done) {
      dragRule(static_cast<int>(i), cards_->mapFromGlobal(QPoint(0, global_y)).y(), done);
    });
    layout->addWidget(card);
    rules_.push_back(card);
  }
  static_cast<QVBoxLayout*>(layout)->addStretch(1);
}

/// The rule goes before the first card whose middle lies below, and its number counts without it.
void RecipeMargin::dragRule(int rule, int y, bool done) {
  int to = 0, at = 0;
  for (int i = 0; i < static_cast<int>(rules_.size()); ++i) {
    const QRect box = rules_[static_cast<std::size_t>(i)]->geometry();
    if (y <= box.center().y()) break;
    at = box.bottom();
    if (i != rule) ++to;
  }
  if (!guide_) {
    guide_ = new QWidget(cards_);
    guide_->setAttribute(Qt::WA_TransparentForMouseEvents);
    guide_->setAutoFillBackground(true);
  }
  QPalette palette = guide_->palette();
  palette.setColor(QPalette::Window, Theme::current().focus());
  guide_->setPalette(palette);
  guide_->setGeometry(4, std::max(0, at - 1), cards_->width() - 8, 2);
  guide_->raise();
  guide_->setVisible(!done && to != rule);
  if (done) moveRule(rule, to);
}

void RecipeMargin::moveRule(int from, int to) {
  const int rules = static_cast<int>(rules_.size());
  if (!recipe_ || from == to || from < 0 || to < 0 || from >= rules || to >= rules) return;
  commit(
      formats::move_rule(document_.text, document_.name, static_cast<std::size_t>(from),
                         static_cast<std::size_t>(to)),
      tr("rule of %1 moved").arg(qs(recipe_->recipe.states[static_cast<std::size_t>(from)].name)));
  rules_[static_cast<std::size_t>(to)]->grip()->setFocus();
}

void RecipeMargin::commit(const std::string& text, const QString& why) {
  documents_.put(DocumentKind::recipe, text, why);
}

void RecipeMargin::setEdge(int rule, formats::BandEdge edge, std::optional<double> level,
                           const QString& why) {
  commit(formats::set_rule_edge(document_.text, document_.name, recipe_->recipe,
                                static_cast<std::size_t>(rule), edge, level),
         why);
}

/// The text with an edge at another level, and with it the edges that others have at the same one.
std::string RecipeMargin::movedEdge(int rule, bool upper, double level) const {
  const auto& states = recipe_->recipe.states;
  const Band& band = states[static_cast<std::size_t>(rule)].level;
  const double was = upper ? band.high : band.low;
  std::string text = document_.text;
  const auto move = [&](std::size_t i, bool its_upper) {
    const auto now = formats::parse_recipe(text, document_.name);
    text = formats::set_rule_edge(text, document_.name, now.recipe, i,
                                  its_upper ? formats::BandEdge::below : formats::BandEdge::above,
                                  level);
  };
  const auto same = [&](double other) { return std::fabs(other - was) <= 1e-6 * std::fabs(was); };
  move(static_cast<std::size_t>(rule), upper);
  for (std::size_t i = 0; i < states.size(); ++i) {
    if (static_cast<int>(i) == rule || states[i].elsewhere() || !states[i].by_level) continue;
    if (std::isfinite(was) && same(states[i].level.low)) move(i, false);
    if (std::isfinite(was) && same(states[i].level.high)) move(i, true);
  }
  return text;
}

void RecipeMargin::dragEdge(int rule, bool upper, double level, bool done) {
  if (!recipe_ || rule < 0 || rule >= static_cast<int>(recipe_->recipe.states.size())) return;
  level = to_digits(level, 3);  // enough for a threshold set by hand
  try {
    const std::string text = movedEdge(rule, upper, level);
    if (done) {
      commit(text, tr("threshold of %1")
                       .arg(qs(recipe_->recipe.states[static_cast<std::size_t>(rule)].name)));
      return;
    }
    const auto recipe = formats::parse_recipe(text, document_.name);
    levels_->setRules(recipe.recipe.states, fills_for(text, {}));
    showThresholds(recipe.recipe.states, rule, upper);
    session_.requestPreview(text);
  } catch (const Error&) {  // dragged past the band's other edge: it goes no further
    if (done) takeText(document_.text);
  }
}

bool RecipeMargin::showsCurrent() const {
  return view_.capture() && view_.capture()->shows_current();
}

void RecipeMargin::takeHistogram(const LevelHistogramPtr& histogram) {
  histogram_ = histogram;
  levels_->setHistogram(histogram);
}

void RecipeMargin::askPreview() {
  if (!view_.capture() || !isVisible()) return;
  const std::string key = levels_key(*view_.capture());
  if (key != histogram_key_) {
    histogram_key_ = key;
    if (view_.capture()->shows_current()) {
      session_.requestHistogram();
    } else {
      takeHistogram(nullptr);
    }
  }
  if (recipe_) {
    takeText(document_.text);
    session_.requestPreview(document_.text);
  }
  if (!view_.capture()->visits.empty()) session_.requestFit(view_.capture()->info.id);
}

void RecipeMargin::findOther(int by) {
  if (!recipe_ || !view_.capture()) return;
  const auto now = static_cast<int>(recipe_->recipe.states.size());
  if (now + by >= 1)
    find_states_of(session_, view_.capture()->info.id, static_cast<std::size_t>(now + by));
}

/// How far the recipe goes, whether the capture is split by it, and where it may no longer fit.
void RecipeMargin::sayStatus() {
  if (!preview_ || !preview_->error.empty()) return;
  const bool applied = view_.capture() && view_.capture()->recipe_text == preview_->text;
  QString text = preview_->unassigned_s > 0
                     ? tr("%1 would be unassigned.").arg(qs(duration(preview_->unassigned_s)))
                     : tr("All time is assigned to a state.");
  text += applied ? tr(" Applied to this capture.") : tr(" Not yet applied.");
  QStringList misfits;
  if (applied && fit_ && fit_->capture == preview_->capture) {
    for (const std::string& remark : fit_->remarks)
      misfits << tr("May not fit: %1.").arg(qs(remark));
  }
  status_->setToolTip(misfits.join(QLatin1Char('\n')));
  if (!misfits.isEmpty()) text += QLatin1Char('\n') + misfits.front();
  if (misfits.size() > 1) text += tr(" %1 more.").arg(misfits.size() - 1);
  status_->setText(text);
}

void RecipeMargin::takePreview(const RecipePreviewPtr& preview) {
  if (!recipe_) return;
  if (!preview->error.empty()) {
    status_->setText(qs(preview->error));
    for (RuleCard* card : rules_) card->setVisits(-1);
    return;
  }
  for (std::size_t i = 0; i < rules_.size() && i < recipe_->recipe.states.size(); ++i) {
    const auto it = preview->visits.find(recipe_->recipe.states[i].name);
    // A state that is not counted is one that was not found.
    const int visits = it == preview->visits.end() ? 0 : static_cast<int>(it->second);
    const QString away = i < preview->turned_away.size() ? qs(preview->turned_away[i]) : QString();
    const StateRule& rule = recipe_->recipe.states[i];
    const bool level = visits == 0 && histogram_ && rule.by_level && !rule.elsewhere();
    rules_[i]->setVisits(visits, !away.isEmpty() ? away + QLatin1Char('.')
                                 : level ? why_no_visits(recipe_->recipe.states, *histogram_, i)
                                         : QString());
    if (i < preview->specimens.size())
      rules_[i]->setSpecimen(preview->specimens[i],
                             Theme::current().ink(view_.capture() ? view_.capture()->ink : 0));
  }
  preview_ = preview;
  sayStatus();
}

void RecipeMargin::apply(bool all) {
  if (!recipe_ || !view_.capture()) return;
  std::vector<std::int64_t> ids;
  const auto& shown = view_.shown()->captures;
  if (all && shown.size() > 1) {
    for (const CaptureViewPtr& capture : shown) ids.push_back(capture->info.id);
  } else if (all) {
    for (const CaptureRow& row : session_.book()->rows) ids.push_back(row.info.id);
  } else {
    ids.push_back(view_.capture()->info.id);
  }
  apply_recipe(session_, ids, document_);
}

void RecipeMargin::addRule() {
  StateRule rule;
  int n = static_cast<int>(rules_.size()) + 1;
  rule.name = "State " + std::to_string(n);
  rule.level.low = 1e-3;
  if (!recipe_->recipe.states.empty()) {  // above what the others hold
    for (const StateRule& other : recipe_->recipe.states) {
      if (std::isfinite(other.level.high))
        rule.level.low = std::max(rule.level.low, other.level.high);
    }
  }
  rule.level.release_low = rule.level.low;
  commit(formats::toml_append(document_.text, formats::state_block(rule)), tr("rule added"));
}

void RecipeMargin::newRecipe() {
  Recipe recipe;
  recipe.name = "States";
  StateRule rest;
  rest.name = "Rest";
  const double quiet = showsCurrent() ? quiet_level(view_.capture()->overview) : 0;
  const double above = quiet > 0 ? quiet * 10 : 1e-3,
               digit = std::pow(10, std::floor(std::log10(above)) - 1);
  rest.level.high = std::round(above / digit) * digit;  // to be read, and changed
  rest.level.release_high = rest.level.high;
  recipe.states.push_back(rest);
  commit(formats::recipe_text(recipe), tr("new recipe"));
}

void RecipeMargin::openRecipe() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open recipe"), {},
                                                    Documents::filter(DocumentKind::recipe));
  if (path.isEmpty()) return;
  documents_.open(DocumentKind::recipe, path);
}

void RecipeMargin::saveAs() {
  if (document_.text.empty()) return;
  const QString path = QFileDialog::getSaveFileName(this, tr("Save recipe"), qs(document_.name),
                                                    Documents::filter(DocumentKind::recipe));
  if (path.isEmpty()) return;
  documents_.saveAs(DocumentKind::recipe, document_, path);
}

}  // namespace kuvio::app
