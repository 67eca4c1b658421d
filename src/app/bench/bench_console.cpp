// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/bench_console.h"

#include "app/style/widgets.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {
constexpr int kLines = 2000, kRemembered = 50;
}

BenchConsole::BenchConsole(QWidget* parent) : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  column->addWidget(heading(tr("DEVICE CONSOLE"), this));
  text_ = new QPlainTextEdit(this);
  text_->setObjectName(QStringLiteral("console"));
  text_->setAccessibleName(tr("Device output"));
  text_->setReadOnly(true);
  text_->setTabChangesFocus(true);
  text_->setMaximumBlockCount(kLines);
  text_->setFont(mono_font(12));
  text_->setLineWrapMode(QPlainTextEdit::WidgetWidth);
  text_->setPlaceholderText(tr("Device output appears here once its log is connected."));
  line_ = new QLineEdit(this);
  line_->setObjectName(QStringLiteral("sendLine"));
  line_->setAccessibleName(tr("Line to send to the device"));
  line_->setPlaceholderText(tr("e.g. uplink (Ctrl+T)"));
  line_->installEventFilter(this);
  auto* row = new QHBoxLayout;
  row->addWidget(line_, 1);
  auto* b = button(tr("Send"), QStringLiteral("send"), this);
  row->addWidget(b);
  column->addWidget(text_, 1);
  column->addLayout(row);
  connect(line_, &QLineEdit::returnPressed, this, &BenchConsole::send);
  connect(b, &QPushButton::clicked, this, &BenchConsole::send);
}

void BenchConsole::append(const QString& text, bool sent) {
  text_->appendPlainText((sent ? QStringLiteral("→ ") : QString()) + text);
}

void BenchConsole::send() {
  const QString text = line_->text().trimmed();
  if (text.isEmpty()) return;
  bool taken = false;
  emit lineEntered(text, &taken);
  if (!taken) return;
  line_->clear();
  begun_.clear();
  sent_.removeAll(text);
  sent_ << text;
  if (sent_.size() > kRemembered) sent_.removeFirst();
  at_ = sent_.size();
}

void BenchConsole::recall(qsizetype at) {
  if (at < 0 || at > sent_.size() || at == at_) return;
  if (at_ == sent_.size()) begun_ = line_->text();
  at_ = at;
  line_->setText(at_ == sent_.size() ? begun_ : sent_[at_]);
}

bool BenchConsole::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (key == Qt::Key_Up || key == Qt::Key_Down) {
      recall(at_ + (key == Qt::Key_Up ? -1 : 1));
      return true;
    }
  }
  return QWidget::eventFilter(watched, event);
}

}  // namespace kuvio::app
