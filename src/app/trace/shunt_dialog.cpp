// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/shunt_dialog.h"

#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "app/style/widgets.h"
#include "core/number_text.h"
#include "formats/project_text.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::app {
namespace {

constexpr PxF kSide{16}, kBar{14}, kHead{34}, kFoot{22};

QString figure(double value, const char* unit) { return qs(with_prefix(value, unit, 3)); }

QString sentence(const std::string& text) {
  QString out = qs(text);
  if (!out.isEmpty() && out[0].isLower()) out[0] = out[0].toUpper();
  return out + QLatin1Char('.');
}

}  // namespace

ShuntReach::ShuntReach(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("shuntReach"));
  setAccessibleName(tr("Currents between one count and full scale"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QSize ShuntReach::sizeHint() const { return {Px{420}, static_cast<int>(kHead + kBar + kFoot)}; }

void ShuntReach::setChoice(const std::optional<ShuntChoice>& choice, const ShuntTask& task) {
  choice_ = choice;
  task_ = task;
  setAccessibleDescription(
      choice ? tr("One count is %1, full scale %2.")
                   .arg(figure(choice->count_a, "A"), figure(choice->full_scale_a, "A"))
             : QString());
  update();
}

void ShuntReach::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& t = Theme::current();
  const double left = kSide, right = width() - kSide, top = kHead, foot = kHead + kBar;
  painter.setPen(QPen(t.ruling(), 1));
  if (!choice_) {
    painter.drawRect(QRectF(left, top, right - left, kBar));
    return;
  }
  const ShuntChoice& c = *choice_;
  double low = std::min(c.count_a, task_.peak_a), high = std::max(c.full_scale_a, task_.peak_a);
  if (task_.smallest_a > 0) low = std::min(low, task_.smallest_a);
  low /= 2;
  high *= 2;
  const auto x_of = [&](double a) {
    return left + std::log(a / low) / std::log(high / low) * (right - left);
  };
  // What drowns in counts is hatched, what is seen is full; beyond both there is nothing.
  const double count = x_of(c.count_a), full = x_of(c.full_scale_a);
  const double sure = x_of(std::min(c.count_a * kSureCounts, c.full_scale_a));
  painter.fillRect(QRectF(count, top, sure - count, kBar), QBrush(t.muted(), Qt::BDiagPattern));
  painter.fillRect(QRectF(sure, top, full - sure, kBar), t.wash());
  painter.setPen(QPen(t.border(), 1));
  painter.drawRect(QRectF(count, top, full - count, kBar));
  painter.setFont(Theme::baseFont(10));
  painter.setPen(t.muted());
  painter.drawLine(QLineF(left, foot + 4, right, foot + 4));
  for (const Tick& tick : log_ticks(low, high, right - left, 40, "A")) {
    const double x = x_of(tick.at);
    painter.drawLine(QLineF(x, foot + 4, x, foot + (tick.major ? 8 : 6)));
    if (!tick.label.empty())
      painter.drawText(QRectF(x - PxF{30}, foot + 8, PxF{60}, PxF{13}), Qt::AlignCenter,
                       qs(tick.label));
  }
  const auto flag = [&](double a, const QString& text, bool sound) {
    const double x = x_of(a);
    painter.setPen(QPen(sound ? t.text() : t.accent(), 1.5));
    painter.drawLine(QLineF(x, top - 4, x, foot + 4));
    painter.setFont(Theme::baseFont(11));
    const double wide = painter.fontMetrics().horizontalAdvance(text) + 2;
    const double at = std::clamp(x - wide / 2, 0.0, std::max(0.0, width() - wide));
    painter.drawText(QRectF(at, top - PxF{20}, wide, PxF{15}), Qt::AlignCenter, text);
  };
  if (task_.smallest_a > 0) flag(task_.smallest_a, tr("smallest"), task_.smallest_a >= c.count_a);
  flag(task_.peak_a, tr("peak"), task_.peak_a <= c.full_scale_a);
}

ShuntDialog::ShuntDialog(QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("shuntDialog"));
  setWindowTitle(tr("Choose a shunt"));
  resize(Px{520}, Px{460});
  auto* column = new QVBoxLayout(this);
  column->setSpacing(8);
  auto* form = new QFormLayout;
  form->setHorizontalSpacing(10);
  form->setVerticalSpacing(4);
  const auto row = [&](const QString& words, QWidget* widget) { form->addRow(words, widget); };
  row(tr("The peak is"),
      peak_ = field("shuntPeak", tr("Greatest current expected"), tr("e.g. 250 mA")));
  row(tr("The smallest of interest"),
      smallest_ = field("shuntSmallest", tr("Smallest current of interest"), tr("e.g. 1 µA")));
  row(tr("The drop is read up to"),
      range_ = field("shuntRange", tr("Full scale of what reads the drop"), tr("e.g. 2.048 V")));
  auto* converter = new QWidget(this);
  auto* beside = new QHBoxLayout(converter);
  beside->setContentsMargins(0, 0, 0, 0);
  bits_ = new QSpinBox(this);
  bits_->setObjectName(QStringLiteral("shuntBits"));
  bits_->setAccessibleName(tr("Bits of what reads the drop"));
  bits_->setRange(2, 32);
  bits_->setValue(16);
  bits_->setSuffix(tr(" bits"));
  both_ways_ = new QCheckBox(tr("of either sign"), this);
  both_ways_->setObjectName(QStringLiteral("shuntBothWays"));
  both_ways_->setChecked(true);
  beside->addWidget(bits_);
  beside->addWidget(both_ways_);
  beside->addStretch(1);
  row(tr("with"), converter);
  row(tr("The device bears"),
      drop_ = field("shuntDrop", tr("Burden voltage that the device bears"), tr("e.g. 50 mV")));
  row(tr("and has behind it"),
      decoupling_ =
          field("shuntDecoupling", tr("Capacitance at the device"), tr("e.g. 100 µF, or nothing")));
  row(tr("Judge"), ohm_ = field("shuntOhm", tr("A shunt that is there already"),
                                tr("e.g. 0.1 Ohm; empty: propose one")));
  column->addLayout(form);
  answer_ = new QLabel(this);
  answer_->setObjectName(QStringLiteral("shuntAnswer"));
  answer_->setFont(Theme::baseFont(18, QFont::DemiBold));
  answer_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column->addWidget(answer_);
  reach_ = new ShuntReach(this);
  column->addWidget(reach_);
  more_ = new QLabel(this);
  more_->setObjectName(QStringLiteral("shuntMore"));
  more_->setWordWrap(true);
  more_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column->addWidget(more_);
  column->addStretch(1);
  auto* buttons = new QDialogButtonBox(this);
  use_ = buttons->addButton(tr("Use it"), QDialogButtonBox::AcceptRole);
  use_->setObjectName(QStringLiteral("shuntUse"));
  buttons->addButton(tr("Close"), QDialogButtonBox::RejectRole);
  column->addWidget(buttons);
  connect(bits_, &QSpinBox::valueChanged, this, &ShuntDialog::work);
  connect(both_ways_, &QCheckBox::toggled, this, &ShuntDialog::work);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::hide);
  connect(buttons, &QDialogButtonBox::accepted, this, [this] {
    if (choice_) emit chosen(qs(formats::quantity_text(choice_->ohm, Dimension::resistance)));
    hide();
  });
  setTarget({});
  work();
}

QLineEdit* ShuntDialog::field(const char* name, const QString& accessible, const QString& example) {
  auto* line = new QLineEdit(this);
  line->setObjectName(QLatin1String(name));
  line->setAccessibleName(accessible);
  line->setPlaceholderText(example);
  connect(line, &QLineEdit::textEdited, this, &ShuntDialog::work);
  return line;
}

void ShuntDialog::setTarget(const QString& name) {
  use_->setVisible(!name.isEmpty());
  use_->setText(tr("Use it for %1").arg(name));
}

void ShuntDialog::proposePeak(double amperes) {
  if (!peak_->text().isEmpty() || !(amperes > 0)) return;
  peak_->setText(qs(formats::quantity_text(amperes, Dimension::current, 3)));
  work();
}

/// False while something is missing or cannot be read; what cannot is told at its field.
bool ShuntDialog::read(ShuntTask& task, std::optional<double>& ohm) {
  const auto quantity = [](QLineEdit* line, Dimension dimension, double& out) {
    QString text = line->text().trimmed();
    if (text.isEmpty()) return true;
    try {
      out = parse_quantity(text.toStdString(), dimension);
    } catch (const std::invalid_argument& e) {
      // While it is being typed it is not wrong yet.
      if (!line->hasFocus()) FieldNote::say(line, QString::fromUtf8(e.what()));
      return false;
    }
    FieldNote::clear(line);
    return true;
  };
  double given = 0;
  bool sound = quantity(peak_, Dimension::current, task.peak_a);
  sound &= quantity(smallest_, Dimension::current, task.smallest_a);
  sound &= quantity(range_, Dimension::voltage, task.range_v);
  sound &= quantity(drop_, Dimension::voltage, task.drop_v);
  sound &= quantity(decoupling_, Dimension::capacitance, task.decoupling_f);
  sound &= quantity(ohm_, Dimension::resistance, given);
  task.bits = bits_->value();
  task.both_ways = both_ways_->isChecked();
  if (!ohm_->text().trimmed().isEmpty()) ohm = given;
  return sound;
}

void ShuntDialog::work() {
  ShuntTask task;
  std::optional<double> ohm;
  choice_.reset();
  QString trouble = tr("Say how large the peak is, and what the drop is read with.");
  const bool asked = !peak_->text().trimmed().isEmpty() && !range_->text().trimmed().isEmpty();
  if (read(task, ohm) && asked) {
    try {
      choice_ = ohm ? judge_shunt(task, *ohm) : choose_shunt(task);
    } catch (const std::invalid_argument& e) {
      trouble = tr("It needs %1.").arg(QString::fromUtf8(e.what()));
    }
  }
  reach_->setChoice(choice_, task);
  use_->setEnabled(choice_.has_value());
  answer_->setText(choice_ ? figure(choice_->ohm, "Ohm") : QStringLiteral("—"));
  if (!choice_) return more_->setText(trouble);
  QStringList lines;
  for (const std::string& line : in_words(*choice_, task)) lines << sentence(line);
  more_->setText(lines.join(QLatin1Char('\n')));
}

}  // namespace kuvio::app
