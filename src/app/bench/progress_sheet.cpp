// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/progress_sheet.h"

#include "app/engine/text.h"
#include "app/engine/time_notation.h"
#include "app/style/cut_label.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "core/number_text.h"

#include <QHBoxLayout>

#include <cmath>

namespace kuvio::app {

ProgressSheet::ProgressSheet(BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  text_ = new CutLabel(QStringLiteral("benchProgress"), this);
  text_->setAccessibleName(tr("Progress of the recording"));
  row->addWidget(text_, 1);
  note_ = new QLineEdit(this);
  note_->setObjectName(QStringLiteral("markNote"));
  note_->setAccessibleName(tr("Note for the next mark"));
  note_->setPlaceholderText(tr("e.g. lid opened"));
  note_->setMaximumWidth(Px{220});
  mark_ = button(tr("Mark"), QStringLiteral("mark"), this);
  begin_ = button(tr("Start now"), QStringLiteral("beginNow"), this);
  stop_ = button(tr("Stop"), QStringLiteral("stopRecording"), this, true);
  row->addWidget(note_);
  for (QPushButton* b : {mark_, begin_, stop_}) row->addWidget(b);
  connect(mark_, &QPushButton::clicked, this, &ProgressSheet::markRequested);
  connect(note_, &QLineEdit::returnPressed, this, &ProgressSheet::markRequested);
  connect(begin_, &QPushButton::clicked, this, [this] { bench_.beginNow(); });
  connect(stop_, &QPushButton::clicked, this, [this] { bench_.stop(); });
}

QString ProgressSheet::takeNote() {
  QString note = note_->text().trimmed();
  note_->clear();
  return note;
}

/// "2:50 of 10:00 · mean 61.2 µA · 10.4 mC so far"
QString ProgressSheet::text() const {
  const BenchState& s = bench_.state();
  if (s.armed) return tr("Armed: %1 starts on its trigger.").arg(qs(s.name));
  if (!s.away.empty()) return tr("Link lost, reconnecting. The output may still be on: check it.");
  QString text = qs(time_text(std::floor(s.recorded_s), 0));
  if (s.wanted_s > 0) text = tr("%1 of %2").arg(text, qs(time_text(s.wanted_s, 0)));
  text = tr("Recording %1: %2").arg(qs(s.name), text);
  for (const acquire::LiveChannel& c : s.channels) {
    if (c.quantity != Quantity::current || !(c.observed_s > 0)) continue;
    text +=
        tr(" · mean %1 · %2 so far")
            .arg(qs(with_prefix(c.sum / c.observed_s, c.unit, 3)), qs(with_prefix(c.sum, "C", 3)));
    break;
  }
  if (s.log_lines > 0)
    text += s.log_lines == 1 ? tr(" · 1 log line") : tr(" · %1 log lines").arg(s.log_lines);
  return text;
}

void ProgressSheet::refresh() {
  const BenchState& s = bench_.state();
  if (!bench_.recording()) return;
  text_->say(text(), s.away.empty() ? Theme::current().text() : Theme::current().accent());
  stop_->setText(s.away.empty() ? tr("Stop") : tr("End capture"));
  begin_->setVisible(s.armed);
  mark_->setVisible(!s.armed);
  note_->setVisible(!s.armed);
}

}  // namespace kuvio::app
