// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/channels_margin.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/field_note.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "app/trace/shunt_dialog.h"
#include "core/accuracy.h"
#include "core/number_text.h"
#include "formats/project_text.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include <stdexcept>

namespace kuvio::app {
namespace {

/// Forms of a channel made of others, as they are offered.
struct FormWords {
  DerivedBy by;
  const char *words, *sign;
  bool two;
};
constexpr FormWords kForms[]{
    {DerivedBy::product, QT_TRANSLATE_NOOP("ChannelsMargin", "product"), "×", true},
    {DerivedBy::difference, QT_TRANSLATE_NOOP("ChannelsMargin", "difference"), "−", true},
    {DerivedBy::sum, QT_TRANSLATE_NOOP("ChannelsMargin", "sum"), "+", true},
    {DerivedBy::ratio, QT_TRANSLATE_NOOP("ChannelsMargin", "ratio"), "/", true},
    {DerivedBy::running, QT_TRANSLATE_NOOP("ChannelsMargin", "running integral"), "", false},
    {DerivedBy::rolling_mean, QT_TRANSLATE_NOOP("ChannelsMargin", "rolling mean"), "", false}};

QString words_of(Quantity quantity) { return qs(std::string(info(quantity).key)); }

QString quantity_words(double value, Dimension dimension) {
  return qs(formats::quantity_text(value, dimension))
      .replace(QLatin1String(" u"), QStringLiteral(" µ"));
}

QString sentences(const std::vector<std::string>& texts) {
  QStringList out;
  for (const std::string& text : texts) {
    QString one = qs(text);
    if (!one.isEmpty()) one[0] = one[0].toUpper();
    out << one + QLatin1Char('.');
  }
  return out.join(QLatin1Char('\n'));
}

}  // namespace

ChannelsMargin::ChannelsMargin(ViewState& view, Session& session, QWidget* parent)
    : QWidget(parent), view_(view), alive_(&view), session_(session) {
  setObjectName(QStringLiteral("channelsMargin"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(14, 8, 14, 8);
  column->setSpacing(6);
  which_ = new QComboBox(this);
  which_->setObjectName(QStringLiteral("channelWhich"));
  which_->setAccessibleName(tr("Channel"));
  which_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  column->addWidget(which_);
  about_ = remark({}, this);
  about_->setObjectName(QStringLiteral("channelAbout"));
  about_->setWordWrap(true);
  column->addWidget(about_);
  column->addWidget(makeFields());
  figures_ = remark({}, this);
  figures_->setObjectName(QStringLiteral("channelFigures"));
  figures_->setWordWrap(true);
  column->addWidget(figures_);
  warnings_ = new QLabel(this);
  warnings_->setObjectName(QStringLiteral("channelWarnings"));
  warnings_->setWordWrap(true);
  column->addWidget(warnings_);
  column->addWidget(makeNew());
  column->addStretch(1);
  connect(which_, &QComboBox::activated, this, &ChannelsMargin::showChannel);
  connect(&view_, &ViewState::captureChanged, this, [this] {
    if (isVisible()) ask();
  });
  connect(&view_, &ViewState::spanChanged, this,
          [this] { zero_here_->setEnabled(chosen() && view_.span().has_value()); });
}

QWidget* ChannelsMargin::makeFields() {
  fields_ = new QWidget(this);
  auto* column = new QVBoxLayout(fields_);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  column->addWidget(heading(tr("ZERO"), fields_));
  zero_ = remark({}, fields_);
  zero_->setObjectName(QStringLiteral("channelZero"));
  zero_->setWordWrap(true);
  column->addWidget(zero_);
  auto* zeros = new QHBoxLayout;
  zero_here_ = button(tr("From the span"), QStringLiteral("channelZeroHere"), fields_);
  zero_here_->setToolTip(tr("Mark a span in which nothing should flow: drag over the trace."));
  no_zero_ = button(tr("None"), QStringLiteral("channelNoZero"), fields_);
  zeros->addWidget(zero_here_, 1);
  zeros->addWidget(no_zero_);
  column->addLayout(zeros);
  column->addWidget(heading(tr("WHAT LIES IN THE WAY"), fields_));
  auto* form = new QFormLayout;
  form->setHorizontalSpacing(8);
  form->setVerticalSpacing(4);
  const auto add = [&](const char* name, const QString& words, const QString& accessible,
                       const QString& example) {
    auto* edit = new QLineEdit(fields_);
    edit->setObjectName(QLatin1String(name));
    edit->setAccessibleName(accessible);
    edit->setPlaceholderText(example);
    connect(edit, &QLineEdit::textEdited, this, [this, edit] {
      draw_in_pencil(edit, true);
      pencil_.insert(edit);
    });
    connect(edit, &QLineEdit::returnPressed, this, &ChannelsMargin::set);
    form->addRow(words, edit);
    lines_.push_back({name, edit});
  };
  add("channelShunt", tr("Shunt"), tr("Shunt that its voltage is the drop of"),
      tr("e.g. 0.1 Ohm 1 %"));
  add("channelRating", tr("Rated"), tr("What the shunt may heat with"), tr("e.g. 250 mW"));
  add("channelDivider", tr("Divider"), tr("Divider ahead of it"), tr("e.g. 90k/10k 1 %"));
  add("channelGain", tr("Gain"), tr("Gain"), QStringLiteral("1"));
  add("channelOffset", tr("Offset"), tr("Offset"), tr("e.g. −120 nA"));
  add("channelOwn", tr("Logger's own"), tr("What the logger draws itself"), tr("e.g. 5 mA"));
  add("channelAccuracy", tr("Accuracy"), tr("Accuracy, in place of the recorded one"),
      tr("e.g. 0.08 % + 40 nA"));
  column->addLayout(form);
  auto* act = new QHBoxLayout;
  set_ = button(tr("Set"), QStringLiteral("channelSet"), fields_, true);
  reset_ = button(tr("As recorded"), QStringLiteral("channelReset"), fields_);
  act->addWidget(set_);
  act->addWidget(reset_);
  act->addStretch(1);
  column->addLayout(act);
  auto* choose = button(tr("Choose a shunt…"), QStringLiteral("channelChooseShunt"), fields_);
  column->addWidget(choose, 0, Qt::AlignLeft);
  connect(choose, &QPushButton::clicked, this, &ChannelsMargin::chooseShunt);
  connect(set_, &QPushButton::clicked, this, &ChannelsMargin::set);
  connect(reset_, &QPushButton::clicked, this, [this] {
    if (const ChannelState* c = chosen())
      setCalibration({}, tr("%1 as recorded").arg(qs(c->info.name)));
  });
  connect(zero_here_, &QPushButton::clicked, this, &ChannelsMargin::zeroFromSpan);
  connect(no_zero_, &QPushButton::clicked, this, [this] {
    const ChannelState* c = chosen();
    if (!c) return;
    ChannelCalibration now = c->calibration;
    now.zero.reset();
    setCalibration(now, tr("no zero of %1").arg(qs(c->info.name)));
  });
  return fields_;
}

QWidget* ChannelsMargin::makeNew() {
  new_ = new QWidget(this);
  auto* column = new QVBoxLayout(new_);
  column->setContentsMargins(0, 6, 0, 0);
  column->setSpacing(6);
  column->addWidget(heading(tr("MAKE A CHANNEL"), new_));
  const auto box = [&](const char* name, const QString& accessible) {
    auto* out = new QComboBox(new_);
    out->setObjectName(QLatin1String(name));
    out->setAccessibleName(accessible);
    out->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    return out;
  };
  form_ = box("channelForm", tr("How it is made"));
  for (const FormWords& f : kForms) form_->addItem(tr(f.words));
  first_ = box("channelFirst", tr("Of which channel"));
  second_ = box("channelSecond", tr("And which"));
  window_ = new QLineEdit(new_);
  window_->setObjectName(QStringLiteral("channelWindow"));
  window_->setAccessibleName(tr("Window of the mean"));
  window_->setPlaceholderText(tr("e.g. 100 ms"));
  new_name_ = new QLineEdit(new_);
  new_name_->setObjectName(QStringLiteral("channelNewName"));
  new_name_->setAccessibleName(tr("Name of the new channel"));
  new_name_->setPlaceholderText(tr("name, e.g. P"));
  column->addWidget(form_);
  auto* of = new QHBoxLayout;
  of->setSpacing(6);
  of->addWidget(first_, 1);
  of->addWidget(second_, 1);
  of->addWidget(window_, 1);
  column->addLayout(of);
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  auto* go = button(tr("Make"), QStringLiteral("channelMake"), new_);
  row->addWidget(new_name_, 1);
  row->addWidget(go);
  column->addLayout(row);
  remove_ = button(tr("Remove this channel"), QStringLiteral("channelRemove"), new_);
  column->addWidget(remove_, 0, Qt::AlignLeft);
  connect(form_, &QComboBox::activated, this, &ChannelsMargin::pickForm);
  connect(go, &QPushButton::clicked, this, &ChannelsMargin::make);
  connect(new_name_, &QLineEdit::returnPressed, this, &ChannelsMargin::make);
  connect(remove_, &QPushButton::clicked, this, [this] {
    const ChannelState* c = chosen();
    if (!c || !c->derivation) return;
    study::ChannelChange change;
    change.capture = channels_->capture;
    change.remove = c->info.name;
    change_channels(session_, tr("channel %1 removed").arg(qs(c->info.name)), change);
  });
  pickForm();
  return new_;
}

QLineEdit* ChannelsMargin::line(const char* name) const {
  for (const Field& f : lines_) {
    if (QLatin1String(f.name) == QLatin1String(name)) return f.line;
  }
  return nullptr;
}

void ChannelsMargin::chooseShunt() {
  if (!shunts_) {
    shunts_ = new ShuntDialog(window());
    connect(shunts_, &ShuntDialog::chosen, this, [this](const QString& shunt) {
      if (!chosen()) return;
      QLineEdit* edit = line("channelShunt");
      edit->setText(shunt);
      draw_in_pencil(edit, true);
      pencil_.insert(edit);
      edit->setFocus();
    });
  }
  // A voltage may be the drop at a shunt.
  const ChannelState* c = isVisible() ? chosen() : nullptr;
  shunts_->setTarget(c && c->recorded == Quantity::voltage ? qs(c->info.name) : QString());
  if (const CaptureViewPtr& capture = view_.capture(); capture && capture->ledger) {
    double peak = 0;
    for (const LedgerRow& row : capture->ledger->rows) peak = std::max(peak, row.peak.value_or(0));
    shunts_->proposePeak(peak);
  }
  shunts_->show();
  shunts_->raise();
}

void ChannelsMargin::pickForm() {
  const FormWords& form = kForms[form_->currentIndex()];
  second_->setVisible(form.two);
  window_->setVisible(form.by == DerivedBy::rolling_mean);
}

void ChannelsMargin::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  ask();
}

void ChannelsMargin::ask() {
  if (!alive_) return;
  const CaptureViewPtr& capture = view_.capture();
  if (!capture || capture->info.typed || capture->info.recording) {
    channels_.reset();
    which_->clear();
    fields_->hide();
    new_->hide();
    figures_->clear();
    warnings_->clear();
    about_->setText(!capture              ? tr("No capture is shown.")
                    : capture->info.typed ? tr("Readings taken by eye have no channels.")
                                          : tr("Its channels can be put right once it has ended."));
    return;
  }
  ask_channels(session_, capture->info.id, [this, mine = ++asked_](const ChannelsViewPtr& view) {
    if (mine == asked_) take(view);
  });
}

void ChannelsMargin::take(const ChannelsViewPtr& channels) {
  channels_ = channels;
  const QString was = shown_of_ == channels->capture ? which_->currentData().toString() : QString();
  shown_of_ = channels->capture;
  const QString first = first_->currentText(), second = second_->currentText();
  which_->clear();
  first_->clear();
  second_->clear();
  for (const ChannelState& c : channels->channels) {
    const QString name = qs(c.info.name);
    which_->addItem(name == words_of(c.info.quantity)
                        ? name
                        : QStringLiteral("%1 · %2").arg(name, words_of(c.info.quantity)),
                    name);
    if (c.info.quantity == Quantity::logic) continue;
    first_->addItem(name);
    second_->addItem(name);
  }
  if (const int at = which_->findData(was); at >= 0) which_->setCurrentIndex(at);
  first_->setCurrentIndex(std::max(0, first_->findText(first)));
  second_->setCurrentIndex(second.isEmpty() ? std::min(1, second_->count() - 1)
                                            : std::max(0, second_->findText(second)));
  showChannel();
}

const ChannelState* ChannelsMargin::chosen() const {
  if (!channels_ || which_->currentIndex() < 0) return nullptr;
  const std::string name = which_->currentData().toString().toStdString();
  for (const ChannelState& c : channels_->channels) {
    if (c.info.name == name) return &c;
  }
  return nullptr;
}

void ChannelsMargin::showChannel() {
  const ChannelState* c = chosen();
  const bool logic = c && c->info.quantity == Quantity::logic;
  fields_->setVisible(c && !logic);
  new_->setVisible(c != nullptr);
  if (!c) return;
  remove_->setVisible(c->derivation.has_value());
  QStringList about;
  if (!c->info.derived.empty()) about << qs(c->info.derived);
  about << (c->info.calibration.text.empty()
                ? (c->info.derived.empty() ? tr("as recorded") : QString())
                : qs(c->info.calibration.text));
  if (!c->info.accuracy.empty())
    about << tr("± (%1)").arg(
        qs(accuracy_words(c->info.accuracy, info(c->info.quantity).dimension)));
  about.removeAll(QString());
  QString text = about.join(QStringLiteral(" · "));
  if (!text.isEmpty()) text[0] = text[0].toUpper();
  about_->setText(logic ? tr("A logic line: high or low, nothing to put right.") : text);
  const ChannelCalibration& k = c->calibration;
  const Dimension dimension = info(c->info.quantity).dimension;
  // What is being written is not lost to a look at the book.
  if (pencil_of_ != c->info.name) pencil_.clear();
  pencil_of_ = c->info.name;
  const auto put = [&](const char* name, const QString& value) {
    QLineEdit* edit = line(name);
    if (pencil_.count(edit) > 0) return;
    FieldNote::clear(edit);
    draw_in_pencil(edit, false);
    edit->setText(value);
    edit->setCursorPosition(0);
  };
  put("channelShunt", k.shunt ? qs(to_string(*k.shunt)) : QString());
  put("channelRating",
      k.shunt_rating_w > 0 ? quantity_words(k.shunt_rating_w, Dimension::power) : QString());
  put("channelDivider", k.divider ? qs(to_string(*k.divider)) : QString());
  put("channelGain", k.gain == 1 ? QString() : QString::number(k.gain, 'g', 10));
  put("channelOffset", k.offset == 0 ? QString() : quantity_words(k.offset, dimension));
  put("channelOwn", k.subtract == 0 ? QString() : quantity_words(k.subtract, dimension));
  put("channelAccuracy", qs(k.accuracy));
  const bool volts = c->recorded == Quantity::voltage;
  line("channelShunt")->setEnabled(volts);
  line("channelRating")->setEnabled(volts);
  reset_->setEnabled(!k.identity());
  showZero(*c);
  figures_->setText(figuresOf(*c));
  warnings_->setText(sentences(c->figures.warnings));
  QPalette p = warnings_->palette();
  p.setColor(QPalette::WindowText, Theme::current().accent());
  warnings_->setPalette(p);
  warnings_->setVisible(!c->figures.warnings.empty());
}

void ChannelsMargin::showZero(const ChannelState& c) {
  const auto& zero = c.calibration.zero;
  const std::string unit(info(c.recorded).unit);
  QString text = tr("none");
  if (zero) {
    text = tr("%1 from %2").arg(qs(with_uncertainty(zero->mean, zero->U, unit)), qs(zero->from));
    if (zero->drift != 0) text += tr(", drifted by %1").arg(qs(with_prefix(zero->drift, unit, 2)));
  }
  zero_->setText(text);
  no_zero_->setEnabled(zero.has_value());
  zero_here_->setEnabled(view_.span().has_value());
}

QString ChannelsMargin::figuresOf(const ChannelState& c) const {
  if (!c.trouble.isEmpty()) return c.trouble;
  QStringList out;
  if (c.figures.count && c.info.quantity != Quantity::logic)
    out << tr("Its values are steps of %1.").arg(qs(with_prefix(*c.figures.count, c.info.unit, 3)));
  if (const auto& load = c.figures.load)
    out << tr("The shunt drops %1 at the peak and %2 in the mean; it heats with %3 in the mean.")
               .arg(qs(with_prefix(load->peak_v, "V", 3)), qs(with_prefix(load->mean_v, "V", 3)),
                    qs(with_prefix(load->mean_w, "W", 3)));
  return out.join(QLatin1Char('\n'));
}

bool ChannelsMargin::read(ChannelCalibration& out) {
  const ChannelState* c = chosen();
  if (!c) return false;
  out = c->calibration;
  const auto field = [&](const char* name, auto take, auto clear) {
    QLineEdit* edit = line(name);
    QString text = edit->text().trimmed();
    text.replace(QChar(0x2212), QLatin1Char('-'));
    if (text.isEmpty()) {
      clear();
      return true;
    }
    try {
      take(text.toStdString());
    } catch (const std::exception& e) {
      edit->setFocus();
      FieldNote::say(edit, QString::fromUtf8(e.what()));
      return false;
    }
    FieldNote::clear(edit);
    return true;
  };
  using Text = const std::string&;
  bool sound = field(
      "channelShunt", [&](Text t) { out.shunt = parse_resistor(t); }, [&] { out.shunt.reset(); });
  const Dimension dimension =
      info(out.shunt && c->recorded == Quantity::voltage ? Quantity::current : c->recorded)
          .dimension;
  sound = sound &&
          field(
              "channelRating",
              [&](Text t) { out.shunt_rating_w = parse_quantity(t, Dimension::power); },
              [&] { out.shunt_rating_w = 0; }) &&
          field(
              "channelDivider", [&](Text t) { out.divider = parse_divider(t); },
              [&] { out.divider.reset(); }) &&
          field(
              "channelGain",
              [&](Text t) {
                bool number = false;
                out.gain = QString::fromStdString(t).toDouble(&number);
                if (!number || out.gain == 0)
                  throw std::invalid_argument("a gain is a number other than 0");
              },
              [&] { out.gain = 1; }) &&
          field(
              "channelOffset", [&](Text t) { out.offset = parse_quantity(t, dimension); },
              [&] { out.offset = 0; }) &&
          field(
              "channelOwn", [&](Text t) { out.subtract = parse_quantity(t, dimension); },
              [&] { out.subtract = 0; }) &&
          field(
              "channelAccuracy",
              [&](Text t) {
                parse_accuracy(t);
                out.accuracy = t;
              },
              [&] { out.accuracy.clear(); });
  return sound;
}

void ChannelsMargin::set() {
  const ChannelState* c = chosen();
  ChannelCalibration now;
  if (!c || !read(now)) return;
  if (now == c->calibration) {  // written otherwise, and the same
    pencil_.clear();
    return showChannel();
  }
  setCalibration(now, tr("%1 put right").arg(qs(c->info.name)));
}

void ChannelsMargin::setCalibration(const ChannelCalibration& calibration, const QString& what) {
  pencil_.clear();
  study::ChannelChange change;
  change.capture = channels_->capture;
  change.calibrations[chosen()->info.name] = calibration;
  change_channels(session_, what, change);
}

void ChannelsMargin::zeroFromSpan() {
  const ChannelState* c = chosen();
  if (!c || !view_.span()) return;
  zero_channel(session_, channels_->capture, c->info.name, view_.span()->first,
               view_.span()->second);
}

void ChannelsMargin::make() {
  if (!channels_) return;
  const FormWords& form = kForms[form_->currentIndex()];
  const std::string name = new_name_->text().trimmed().toStdString();
  if (name.empty()) {
    new_name_->setFocus();
    return FieldNote::say(new_name_, tr("Give the channel a name."));
  }
  Derivation derivation{form.by, {first_->currentText().toStdString()}, 0};
  if (form.two) derivation.of.push_back(second_->currentText().toStdString());
  if (form.by == DerivedBy::rolling_mean) {
    try {
      derivation.window_s =
          parse_quantity(window_->text().trimmed().toStdString(), Dimension::time);
      if (!(derivation.window_s > 0))
        throw std::invalid_argument("a window is longer than nothing");
    } catch (const std::invalid_argument& e) {
      window_->setFocus();
      return FieldNote::say(window_, QString::fromUtf8(e.what()));
    }
  }
  study::ChannelChange change;
  change.capture = channels_->capture;
  change.derive.emplace(name, derivation);
  change_channels(session_, tr("channel %1 made").arg(qs(name)), change);
  new_name_->clear();
}

}  // namespace kuvio::app
