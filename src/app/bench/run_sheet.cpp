// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/run_sheet.h"

#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "core/quantity.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QSignalBlocker>

#include <algorithm>
#include <stdexcept>

namespace kuvio::app {
namespace {

enum Power { as_it_starts, as_it_is, by_somebody };
constexpr double kLongestBefore = 600;  // s

QComboBox* choice(const QString& name, const QString& accessible, const QStringList& texts,
                  QWidget* parent) {
  auto* out = new QComboBox(parent);
  out->setObjectName(name);
  out->setAccessibleName(accessible);
  out->addItems(texts);
  out->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  out->setProperty("blank", true);
  return out;
}

}  // namespace

RunSheet::RunSheet(const BenchControl& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("runSheet"));
  auto* row = beside_or_below(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(16);
  auto* words = new QWidget(this);
  sentence_ = new SentenceLayout(words);
  sentence_->setBlankToRow(is_cramped());
  QSizePolicy grows(QSizePolicy::Expanding, QSizePolicy::Preferred);
  grows.setHeightForWidth(true);
  words->setSizePolicy(grows);
  row->addWidget(words, 1);
  button_ = kuvio::app::button(tr("Record"), QStringLiteral("record"), this, true);
  button_->setMinimumHeight(Px{34});
  // As wide as whatever it may say: the sentence beside it does not break anew.
  button_->setFixedWidth(fontMetrics().horizontalAdvance(tr("Cycle power (2 s off) and record")) +
                         Px{40});
  row->addWidget(button_, 0, Qt::AlignTop);
  makeSentence();
  makePhrases();
  connect(button_, &QPushButton::clicked, this, &RunSheet::pressed);
  refresh();
}

QLabel* RunSheet::words(const QString& text) {
  auto* out = new QLabel(text, this);
  out->setFont(Theme::baseFont(14));
  return out;
}

void RunSheet::makeSentence() {
  build_ = new Blank(QStringLiteral("build"), tr("Build under test"), tr("which build?"), this);
  build_->setFont(Theme::baseFont(14, QFont::DemiBold));
  fit_to_text(build_, 110, 320);
  connect(build_, &QLineEdit::textChanged, this, &RunSheet::buildChanged);
  connect(build_, &QLineEdit::returnPressed, this, [this] { build_->setPencil(false); });
  length_ = new QuantityEdit(QStringLiteral("length"), tr("Length of the capture"), Dimension::time,
                             this, true);
  length_->setPlaceholderText(tr("until stopped"));
  length_->setQuantity(600);  // ten minutes
  fit_to_text(length_, 62, 140);
  rate_ = new QuantityEdit(QStringLiteral("rate"), tr("Samples per second"), Dimension::frequency,
                           this);
  rate_->setQuantity(1000);
  fit_to_text(rate_, 62, 120);
  power_ = choice(QStringLiteral("power"), tr("When the output is switched on"),
                  {tr("as it starts"), tr("already on: as it runs"), tr("by somebody else")}, this);
  which_ = choice(QStringLiteral("powerWhich"), tr("Which output is switched on"), {}, this);
  off_ = choice(QStringLiteral("powerOff"), tr("When the output is switched off"),
                {tr("off again at the end"), tr("left on at the end")}, this);
  sentence_->addWidget(words(tr("Record")));
  sentence_->addWidget(build_);
  sentence_->addWidget(words(tr("for")));
  sentence_->addWidget(length_);
  sentence_->addWidget(words(tr("at")));
  sentence_->addWidget(rate_);
  own_rate_ = words({});
  own_rate_->setObjectName(QStringLiteral("ownRate"));
  own_rate_->hide();
  sentence_->addWidget(own_rate_);
  powering_ = words(tr("powering on"));
  sentence_->addWidget(powering_);
  sentence_->addWidget(which_);
  sentence_->addWidget(power_);
  sentence_->addWidget(off_);
  for (QComboBox* c : {power_, which_, off_})
    connect(c, &QComboBox::currentIndexChanged, this, &RunSheet::refresh);
  connect(length_, &QuantityEdit::quantityEdited, this, &RunSheet::refresh);
  connect(rate_, &QuantityEdit::quantityEdited, this, &RunSheet::refresh);
}

QWidget* RunSheet::phrase(const QString& key, const QString& menu, const QString& before,
                          QWidget* blank, const QString& after) {
  auto* whole = new QWidget(this);
  auto* row = new QHBoxLayout(whole);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  row->addWidget(words(before));
  blank->setParent(whole);
  row->addWidget(blank);
  if (!after.isEmpty()) row->addWidget(words(after));
  auto* away = kuvio::app::button(QStringLiteral("×"), QStringLiteral("remove-") + key, whole);
  away->setFlat(true);
  away->setFixedWidth(Px{22});
  away->setAccessibleName(tr("Take away: %1").arg(menu));
  away->setToolTip(away->accessibleName());
  connect(away, &QPushButton::clicked, this, [this, key] { removePhrase(key); });
  row->addWidget(away);
  whole->hide();
  sentence_->addWidget(whole);
  std::function<void()> empty = [blank] {
    if (auto* quantity = qobject_cast<QuantityEdit*>(blank)) return quantity->setQuantity({});
    if (auto* line = qobject_cast<QLineEdit*>(blank)) line->clear();
  };
  phrases_.push_back({key, menu, whole, blank, std::move(empty)});
  return whole;
}

void RunSheet::makePhrases() {
  arm_ = new Blank(QStringLiteral("arm"), tr("Start condition"), tr("e.g. I above 5 mA"), this);
  arm_->setToolTip(tr(
      "A level (I above 5 mA), a logic edge (radio_on rising) or a device log line (log: ^boot)."));
  fit_to_text(arm_, 150, 280);
  before_ = new QuantityEdit(QStringLiteral("before"), tr("Pre-trigger time"), Dimension::time,
                             this, true);
  fit_to_text(before_, 62, 120);
  apart_ = new QuantityEdit(QStringLiteral("apart"), tr("Time between one output and the next"),
                            Dimension::time, this, true);
  fit_to_text(apart_, 62, 120);
  until_ = new Blank(QStringLiteral("until"), tr("Stop condition"), tr("e.g. log: ^done"), this);
  fit_to_text(until_, 130, 280);
  charge_ = new QuantityEdit(QStringLiteral("stopCharge"), tr("Charge to stop after"),
                             Dimension::charge, this, true);
  fit_to_text(charge_, 76, 140);
  reset_ = new Blank(QStringLiteral("resetAtStart"), tr("How the device is reset as it starts"),
                     tr("e.g. line reset low for 100 ms"), this);
  fit_to_text(reset_, 200, 300);
  name_ =
      new Blank(QStringLiteral("name"), tr("Name of the capture"), tr("e.g. night run 2"), this);
  fit_to_text(name_, 120, 280);
  note_ = new Blank(QStringLiteral("captureNote"), tr("Note kept with the capture"),
                    tr("e.g. new antenna"), this);
  fit_to_text(note_, 140, 360);
  phrase(QStringLiteral("apart"), tr("one output after the other"), tr("then the next after"),
         apart_);
  phrase(QStringLiteral("start_on"), tr("start on …"), tr("starting on"), arm_);
  phrase(QStringLiteral("pre_trigger"), tr("with … of pre-trigger"), tr("with"), before_,
         tr("of pre-trigger"));
  phrase(QStringLiteral("stop_on"), tr("stop on …"), tr("stopping on"), until_);
  phrase(QStringLiteral("stop_charge"), tr("stop after … of charge"), tr("or after"), charge_);
  phrase(QStringLiteral("reset"), tr("reset the device as it starts"), tr("resetting by"), reset_);
  phrase(QStringLiteral("name"), tr("named …"), tr("named"), name_);
  phrase(QStringLiteral("note"), tr("with a note …"), tr("noted"), note_);
  more_ = kuvio::app::button(tr("+ phrase"), QStringLiteral("addPhrase"), this);
  more_->setAccessibleName(tr("Add a phrase"));
  more_->setToolTip(tr("Start and stop conditions, pre-trigger, reset, name, note (Insert)"));
  more_->setMenu(makeMenu());
  sentence_->addWidget(more_);
  for (Blank* b : {arm_, until_}) connect(b, &QLineEdit::textChanged, this, &RunSheet::refresh);
}

QMenu* RunSheet::makeMenu() {
  auto* menu = new QMenu(this);
  menu->setAccessibleName(tr("Phrases of the run sheet"));
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    for (const Phrase& p : phrases_) {
      QAction* a = menu->addAction(p.menu, this, [this, key = p.key] { addPhrase(key); });
      a->setEnabled(p.whole->isHidden() && (p.key != QStringLiteral("apart") || powersSeveral()));
    }
  });
  return menu;
}

void RunSheet::addPhrase(const QString& key) {
  for (const Phrase& p : phrases_) {
    if (p.key != key) continue;
    p.whole->show();
    p.blank->setFocus(Qt::OtherFocusReason);
  }
  sentence_->invalidate();
  updateGeometry();
  refresh();
}

void RunSheet::removePhrase(const QString& key) {
  for (const Phrase& p : phrases_) {
    if (p.key != key) continue;
    p.empty();
    p.whole->hide();
    more_->setFocus(Qt::OtherFocusReason);
  }
  sentence_->invalidate();
  updateGeometry();
  refresh();
}

/// Insert adds a phrase, Delete on a phrase's own button takes it away.
void RunSheet::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Insert) return more_->showMenu();
  if (event->key() == Qt::Key_Delete) {
    for (const Phrase& p : phrases_) {
      if (p.whole->isVisible() && p.whole->isAncestorOf(focusWidget())) return removePhrase(p.key);
    }
  }
  QWidget::keyPressEvent(event);
}

/// Several outputs are switched on as the recording starts.
bool RunSheet::powersSeveral() const {
  return which_->count() > 1 && which_->currentIndex() == which_->count() - 1 &&
         !which_->isHidden();
}

bool RunSheet::hasOutput() const {
  const BenchState& s = bench_.state();
  return s.output.has_output && !s.output.outputs.empty();
}

RunSheet::Does RunSheet::does() const {
  const BenchState& s = bench_.state();
  if (s.phase != BenchState::Phase::ready || bench_.waitingForOff()) return Does::nothing;
  if (!hasOutput() || power_->currentIndex() != as_it_starts) return Does::record;
  return bench_.firstOutputOn() ? Does::cycle : Does::power_on;
}

/// What sends by itself has a rate of its own: there is none to be chosen.
void RunSheet::showRate() {
  const BenchState& s = bench_.state();
  const bool own = bench_.outputAddress().isEmpty() && !s.others.empty() &&
                   std::none_of(s.others.begin(), s.others.end(), [](const acquire::InputState& i) {
                     return i.learned.is_instrument();
                   });
  const double rate = own_rate_hz_ = own ? s.others.front().rate_hz : 0;
  const QString text = !own       ? QString()
                       : rate > 0 ? tr("its own rate, %1 /s").arg(rate, 0, 'g', 3)
                                  : tr("its own rate");
  if (text == own_rate_->text() && rate_->isHidden() == own) return;
  own_rate_->setText(text);
  own_rate_->setVisible(own);
  rate_->setVisible(!own);
  sentence_->invalidate();
  updateGeometry();
}

void RunSheet::refresh() {
  const BenchState& s = bench_.state();
  const bool armed = !arm_->text().trimmed().isEmpty();
  showPower();
  showRate();
  QString text;
  if (s.phase == BenchState::Phase::lost && hasOutput()) {
    text = tr("Output may be on: reconnect first");
  } else if (bench_.waitingForOff()) {
    text = tr("Off for 2 s, then it records");
  } else {
    switch (does()) {
      case Does::power_on:
        text = armed ? tr("Arm and power on") : tr("Record and power on");
        break;
      case Does::cycle:
        text = tr("Cycle power (2 s off) and record");
        break;
      case Does::record:
        text = armed          ? tr("Arm")
               : !hasOutput() ? tr("Record")
               : s.output_on  ? tr("Record as it runs")
                              : tr("Record, output stays off");
        break;
      case Does::nothing:
        text = tr("Record");
        break;
    }
  }
  button_->setText(text);
  button_->setEnabled(does() != Does::nothing);
  setAccessibleName(sentence());
}

/// Without an output nothing is said of power; with several, which of them is.
void RunSheet::showPower() {
  const BenchState& s = bench_.state();
  const bool output = hasOutput() || s.phase == BenchState::Phase::none;
  for (QWidget* w : std::initializer_list<QWidget*>{powering_, power_, off_}) w->setVisible(output);
  QStringList names;
  for (const acquire::OutputState& o : s.output.set) {
    if (!o.auxiliary) names << qs(o.name);
  }
  if (names.size() > 1) names << names.join(tr(" and "));
  if (names.size() < 2) names.clear();
  QStringList known;
  for (int i = 0; i < which_->count(); ++i) known << which_->itemText(i);
  if (known != names) {
    const QSignalBlocker quiet(which_);
    which_->clear();
    which_->addItems(names);
  }
  which_->setVisible(output && !names.isEmpty() && power_->currentIndex() == as_it_starts);
}

double RunSheet::rateHz() const {
  return own_rate_hz_ > 0 ? own_rate_hz_ : rate_->quantity().value_or(1000);
}

void RunSheet::setBuild(const QString& build) {
  build_->setText(build);
  build_->setPencil(false);
}

void RunSheet::proposeBuild(const QString& build) {
  if (build.isEmpty()) return;
  build_->setText(build);
  build_->setPencil(true);
}

std::optional<FieldTrouble> RunSheet::read(RecordRequest& r) const {
  for (QuantityEdit* edit : {length_, rate_, before_, charge_}) {
    edit->commit();
    if (edit->isWrong()) return FieldTrouble{edit, {}};  // it says so itself
  }
  if (build_->text().trimmed().isEmpty())
    return FieldTrouble{build_, tr("Enter the build under test; comparisons go by build.")};
  build_->setPencil(false);  // the button takes what stands there
  r.build = build_->text().trimmed().toStdString();
  r.name = name_->text().trimmed().isEmpty() ? r.build : name_->text().trimmed().toStdString();
  r.seconds = length_->quantity().value_or(0);
  r.rate_hz = rate_->quantity().value_or(0);
  if (!(r.rate_hz > 0)) return FieldTrouble{rate_, tr("The rate must be greater than zero.")};
  if (length_->quantity() && !(r.seconds > 0))
    return FieldTrouble{length_, tr("The length must be greater than zero.")};
  r.until_charge = charge_->quantity().value_or(0);
  try {
    if (!arm_->text().trimmed().isEmpty())
      r.arm = acquire::parse_trigger(arm_->text().trimmed().toStdString());
  } catch (const std::invalid_argument& e) {
    return FieldTrouble{arm_, tr("Start on: %1.").arg(QString::fromUtf8(e.what()))};
  }
  try {
    if (!until_->text().trimmed().isEmpty())
      r.until = acquire::parse_trigger(until_->text().trimmed().toStdString());
  } catch (const std::invalid_argument& e) {
    return FieldTrouble{until_, tr("Stop on: %1.").arg(QString::fromUtf8(e.what()))};
  }
  try {
    if (!reset_->text().trimmed().isEmpty())
      r.reset = acquire::parse_reset(reset_->text().trimmed().toStdString());
  } catch (const std::invalid_argument& e) {
    return FieldTrouble{reset_, tr("Reset: %1.").arg(QString::fromUtf8(e.what()))};
  }
  r.before_s =
      r.arm.wanted() ? std::clamp(before_->quantity().value_or(0), 0.0, kLongestBefore) : 0;
  if (!note_->text().trimmed().isEmpty())
    r.conditions["note"] = note_->text().trimmed().toStdString();
  r.power_on = does() == Does::power_on || does() == Does::cycle;
  r.power_off = off_->currentIndex() == 0;
  r.power_outputs.clear();
  r.power_apart_s = 0;
  if (r.power_on && which_->count() > 1) {
    std::vector<std::string> names;
    for (const acquire::OutputState& o : bench_.state().output.set) {
      if (!o.auxiliary) names.push_back(o.name);
    }
    const auto chosen = static_cast<std::size_t>(std::max(0, which_->currentIndex()));
    r.power_outputs = chosen < names.size() ? std::vector{names[chosen]} : names;
    if (r.power_outputs.size() > 1) r.power_apart_s = apart_->quantity().value_or(0);
    if (r.power_apart_s < 0)
      return FieldTrouble{apart_, tr("The time between outputs must not be negative.")};
  }
  return std::nullopt;
}

void RunSheet::take(const acquire::RecordSettings& r, double rate_hz, bool power_off) {
  length_->setQuantity(r.seconds > 0 ? std::optional(r.seconds) : std::nullopt);
  rate_->setQuantity(rate_hz);
  off_->setCurrentIndex(power_off ? 0 : 1);
  arm_->setText(qs(acquire::to_string(r.arm)));
  until_->setText(qs(acquire::to_string(r.until)));
  reset_->setText(r.reset ? qs(acquire::to_string(*r.reset)) : QString());
  before_->setQuantity(r.before_s > 0 ? std::optional(r.before_s) : std::nullopt);
  charge_->setQuantity(r.until_charge > 0 ? std::optional(r.until_charge) : std::nullopt);
  for (const Phrase& p : phrases_) {
    const auto* line = qobject_cast<QLineEdit*>(p.blank);
    p.whole->setVisible(line && !line->text().isEmpty());
  }
  for (QLineEdit* line : std::initializer_list<QLineEdit*>{build_, arm_, until_, reset_})
    line->setCursorPosition(0);
  refresh();
}

QString RunSheet::sentence() const {
  QStringList words;
  for (int i = 0; i < sentence_->count(); ++i) {
    const QWidget* w = sentence_->itemAt(i)->widget();
    if (!w || w->isHidden()) continue;
    QList<const QWidget*> parts{w};
    for (const QWidget* child : w->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
      parts << child;
    for (const QWidget* part : parts) {
      if (const auto* label = qobject_cast<const QLabel*>(part)) words << label->text();
      if (const auto* line = qobject_cast<const QLineEdit*>(part))
        words << (line->text().isEmpty() ? line->placeholderText() : line->text());
      if (const auto* box = qobject_cast<const QComboBox*>(part)) words << box->currentText();
    }
  }
  return words.join(QLatin1Char(' '));
}

}  // namespace kuvio::app
