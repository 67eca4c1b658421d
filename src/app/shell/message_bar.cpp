// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/message_bar.h"

#include "app/style/theme.h"
#include "app/style/widgets.h"

#include <QHBoxLayout>
#include <QPushButton>

namespace kuvio::app {

MessageBar::MessageBar(QWidget* parent) : QWidget(parent), text_(new QLabel(this)) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(20, 6, 16, 6);
  text_->setObjectName(QStringLiteral("message"));
  text_->setAccessibleName(tr("Message"));
  text_->setWordWrap(true);
  text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* seen = button(tr("Dismiss"), QStringLiteral("messageSeen"), this);
  row->addWidget(text_, 1);
  row->addWidget(seen, 0, Qt::AlignTop);
  connect(seen, &QPushButton::clicked, this, &QWidget::hide);
  hide();
}

void MessageBar::say(const QString& message) {
  QPalette p = text_->palette();
  p.setColor(QPalette::WindowText, Theme::current().accent());
  text_->setPalette(p);
  text_->setText(message);
  show();
}

}  // namespace kuvio::app
