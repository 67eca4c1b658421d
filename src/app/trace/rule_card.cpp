// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/rule_card.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/trace_sketch.h"
#include "app/trace/rule_hints.h"
#include "core/quantity.h"

#include <QGridLayout>
#include <QKeyEvent>
#include <QPainter>

#include <cmath>

namespace kuvio::app {

RuleGrip::RuleGrip(int index, QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("ruleGrip%1").arg(index));
  setAccessibleName(tr("Place of rule %1").arg(index + 1));
  setAccessibleDescription(tr("Rules are tried from the top. Up and Down move this one."));
  setToolTip(tr("Drag: rules are tried from the top"));
  setFocusPolicy(Qt::StrongFocus);
  setFixedSize(Px{20}, Px{24});
  setCursor(Qt::OpenHandCursor);
}

void RuleGrip::setFill(const QBrush& fill) {
  fill_ = fill;
  update();
}

void RuleGrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(t.border(), 0.6));
  painter.setBrush(fill_);
  painter.drawRoundedRect(QRectF(3, 6, 12, 12), 2, 2);
  if (!hasFocus()) return;
  painter.setPen(QPen(t.focus(), 1.5));
  painter.setBrush(Qt::NoBrush);
  painter.drawRoundedRect(QRectF(0.75, 2.75, 17.5, 18.5), 3, 3);
}

void RuleGrip::keyPressEvent(QKeyEvent* event) {
  if (event->key() != Qt::Key_Up && event->key() != Qt::Key_Down)
    return QWidget::keyPressEvent(event);
  emit stepped(event->key() == Qt::Key_Up ? -1 : 1);
}

void RuleGrip::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  held_ = true;
  setCursor(Qt::ClosedHandCursor);
}

void RuleGrip::mouseMoveEvent(QMouseEvent* event) {
  if (held_) emit dragged(event->globalPosition().toPoint().y(), false);
}

void RuleGrip::mouseReleaseEvent(QMouseEvent* event) {
  setCursor(Qt::OpenHandCursor);
  if (std::exchange(held_, false)) emit dragged(event->globalPosition().toPoint().y(), true);
}

Specimen::Specimen(int index, QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("ruleSpecimen%1").arg(index));
  setAccessibleName(tr("A typical visit"));
  setToolTip(tr("A typical visit: of the whole ones the one of median length"));
  setFixedSize(Px{34}, Px{24});
}

void Specimen::setVisit(std::vector<EnvelopeColumn> columns, const QColor& ink) {
  columns_ = std::move(columns);
  ink_ = ink;
  update();
}

void Specimen::paintEvent(QPaintEvent*) {
  if (columns_.empty()) return;
  QPainter painter(this);
  paint_sketch(painter, QRectF(rect()).adjusted(1, 3, -1, -3), columns_, ink_);
}

RuleCard::RuleCard(int index, QWidget* parent) : QWidget(parent), index_(index) {
  setObjectName(QStringLiteral("rule%1").arg(index));
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(8, 8, 8, 8);
  grid->setHorizontalSpacing(6);
  grid->setVerticalSpacing(5);
  const auto number = QString::number(index + 1);
  name_ = new QLineEdit(this);
  name_->setObjectName(QStringLiteral("ruleName%1").arg(index));
  name_->setAccessibleName(tr("Name of state %1").arg(number));
  name_->setFont(Theme::baseFont(13, QFont::DemiBold));
  visits_ = remark({}, this);
  visits_->setObjectName(QStringLiteral("ruleVisits%1").arg(index));
  visits_->setWordWrap(false);
  auto* remove = button(QStringLiteral("×"), QStringLiteral("ruleRemove%1").arg(index), this);
  remove->setAccessibleName(tr("Remove state %1").arg(number));
  remove->setToolTip(remove->accessibleName());
  remove->setFlat(true);
  remove->setFixedSize(Px{24}, Px{24});
  auto* head = new QHBoxLayout;
  head->setSpacing(4);
  grip_ = new RuleGrip(index, this);
  head->addWidget(grip_);
  head->addWidget(name_, 1);
  specimen_ = new Specimen(index, this);
  head->addWidget(specimen_);
  head->addWidget(visits_);
  head->addWidget(remove);
  grid->addLayout(head, 0, 0, 1, 4);
  const auto field = [&](int row, int column, const QString& label, const char* name,
                         Dimension dimension) {
    auto* text = remark(label, this);
    text->setWordWrap(false);
    text->setFont(Theme::baseFont(11));
    auto* edit = new QuantityEdit(QStringLiteral("rule%1_%2").arg(index).arg(QLatin1String(name)),
                                  tr("State %1, %2").arg(number, label), dimension, this, true);
    edit->setMinimumWidth(Px{56});
    edit->waitForEnter();
    grid->addWidget(text, row, column);
    grid->addWidget(edit, row, column + 1);
    return edit;
  };
  const auto edge = [&](int column, const QString& label, const char* name,
                        formats::BandEdge which) {
    auto* edit = field(1, column, label, name, Dimension::current);
    connect(edit, &QuantityEdit::quantityEdited, this,
            [this, edit, which] { emit edgeEdited(index_, which, edit->quantity()); });
    return edit;
  };
  const auto length = [&](int column, const QString& label, const char* key) {
    auto* edit = field(2, column, label, key, Dimension::time);
    connect(edit, &QuantityEdit::quantityEdited, this,
            [this, edit, key] { emit lengthEdited(index_, key, edit->quantity()); });
    return edit;
  };
  above_ = edge(0, tr("above"), "above", formats::BandEdge::above);
  below_ = edge(2, tr("below"), "below", formats::BandEdge::below);
  shortest_ = length(0, tr("shortest"), "shortest");
  join_ = length(2, tr("join gaps"), "join_gaps");
  join_->setToolTip(tr("Stays separated by no more than this count as one visit"));
  why_none_ = remark({}, this);
  why_none_->setObjectName(QStringLiteral("ruleWhyNone%1").arg(index));
  why_none_->setFont(Theme::baseFont(11));
  why_none_->hide();
  asked_ = remark({}, this);
  asked_->setObjectName(QStringLiteral("ruleAsked%1").arg(index));
  asked_->setFont(Theme::baseFont(11));
  asked_->hide();
  grid->addWidget(asked_, 3, 0, 1, 4);
  grid->addWidget(why_none_, 4, 0, 1, 4);
  grid->setColumnStretch(1, 1);
  grid->setColumnStretch(3, 1);
  connect(name_, &QLineEdit::editingFinished, this, [this] {
    const QString typed = name_->text().trimmed();
    if (typed == shown_name_) return;
    if (typed.isEmpty()) {
      name_->setText(shown_name_);
      return;
    }
    emit renamed(index_, typed);
  });
  connect(remove, &QPushButton::clicked, this, [this] { emit removed(index_); });
}

void RuleCard::setRule(const StateRule& rule, const QBrush& fill) {
  grip_->setFill(fill);
  shown_name_ = QString::fromStdString(rule.name);
  if (!name_->hasFocus() || name_->text() != shown_name_) {
    name_->setText(shown_name_);
    name_->setCursorPosition(0);
  }
  const auto finite = [](double v) { return std::isfinite(v) ? std::optional(v) : std::nullopt; };
  const auto positive = [](double v) { return v > 0 ? std::optional(v) : std::nullopt; };
  // Of another channel's level the hint tells, and the text has it.
  const bool here = rule.by_level && !rule.elsewhere();
  above_->setQuantity(here ? finite(rule.level.low) : std::nullopt);
  below_->setQuantity(here ? finite(rule.level.high) : std::nullopt);
  shortest_->setQuantity(positive(rule.shortest_s));
  join_->setQuantity(positive(rule.join_gaps_s));
  for (QuantityEdit* edit : {above_, below_}) edit->setEnabled(here);
  join_->setEnabled(rule.by_level);
  const QString asked = asked_beside_level(rule);
  asked_->setText(asked);
  asked_->setVisible(!asked.isEmpty());
  setAccessibleName(tr("Rule for %1").arg(shown_name_));
}

void RuleCard::setVisits(int visits, const QString& remark) {
  why_none_->setText(remark);
  why_none_->setVisible(visits >= 0 && !remark.isEmpty());
  visits_->setText(visits < 0    ? QString()
                   : visits == 1 ? tr("1 visit")
                                 : tr("%1 visits").arg(visits));
}

void RuleCard::setSpecimen(std::vector<EnvelopeColumn> columns, const QColor& ink) {
  specimen_->setVisit(std::move(columns), ink);
}

void RuleCard::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.drawLine(8, height() - 1, width() - 8, height() - 1);
}

}  // namespace kuvio::app
