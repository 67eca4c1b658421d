// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/widgets.h"

#include "app/style/field_note.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "core/quantity.h"
#include "formats/project_files.h"
#include "formats/project_text.h"

#include <QApplication>
#include <QBoxLayout>
#include <QClipboard>
#include <QFontDatabase>
#include <QKeyEvent>
#include <QLocale>
#include <QMenu>
#include <QPainter>

#include <stdexcept>

namespace kuvio::app {

QFont mono_font(int pixels) {
  QFont font = QFontDatabase::systemFont(QFontDatabase::FixedFont);
  font.setPixelSize(Px{pixels});
  return font;
}

QFrame* ruling(QWidget* parent, bool vertical) {
  auto* line = new QFrame(parent);
  line->setFrameShape(vertical ? QFrame::VLine : QFrame::HLine);
  line->setFrameShadow(QFrame::Plain);
  line->setForegroundRole(QPalette::Midlight);
  line->setFixedWidth(vertical ? 1 : QWIDGETSIZE_MAX);
  if (!vertical) line->setFixedHeight(1);
  return line;
}

namespace {

/// Holds a page at the size of its area, and asks for more only where the page could not be
/// smaller: an area by itself makes a page with words that wrap as high as it would like to be.
class Held : public QWidget {
public:
  explicit Held(QWidget* page) : page_(page) { page_->setParent(this); }
  QSize minimumSizeHint() const override {
    QSize least = page_->minimumSizeHint().expandedTo(page_->minimumSize());
    // With room for its words they give way; a list of them is as long as it is.
    const QLayout* layout = page_->layout();
    if (is_cramped() && layout && layout->hasHeightForWidth())
      least.setHeight(layout->minimumHeightForWidth(std::max(width(), least.width())));
    return least;
  }
  QSize sizeHint() const override { return page_->sizeHint(); }

protected:
  void resizeEvent(QResizeEvent*) override { page_->setGeometry(rect()); }
  bool event(QEvent* event) override {
    if (event->type() == QEvent::LayoutRequest) updateGeometry();
    return QWidget::event(event);
  }

private:
  QWidget* page_;
};

}  // namespace

QScrollArea* scroll_area(QWidget* page, QWidget* parent) {
  auto* area = new QScrollArea(parent);
  area->setFrameShape(QFrame::NoFrame);
  area->setWidgetResizable(true);
  area->setFocusPolicy(Qt::NoFocus);
  auto* held = new Held(page);
  area->setWidget(held);
  area->viewport()->setAutoFillBackground(false);
  held->setAutoFillBackground(false);
  return area;
}

QBoxLayout* beside_or_below(QWidget* parent) {
  return new QBoxLayout(is_cramped() ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight, parent);
}

QLabel* heading(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setFont(Theme::baseFont(11, QFont::DemiBold));
  label->setForegroundRole(QPalette::PlaceholderText);
  return label;
}

QLabel* remark(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setForegroundRole(QPalette::PlaceholderText);
  label->setWordWrap(true);
  return label;
}

QPushButton* button(const QString& text, const QString& name, QWidget* parent, bool primary) {
  auto* out = new QPushButton(text, parent);
  out->setObjectName(name);
  out->setAccessibleName(QString(text).remove(QLatin1Char('&')));
  out->setProperty("primary", primary);
  out->setAutoDefault(false);
  return out;
}

EmptyState::EmptyState(const QString& name, QWidget* parent) : QWidget(parent) {
  setObjectName(name);
  setAccessibleName(tr("Nothing to show yet"));
  auto* column = new QVBoxLayout(this);
  column->addStretch(2);
  title_ = new QLabel(this);
  title_->setFont(Theme::baseFont(17, QFont::DemiBold));
  title_->setAlignment(Qt::AlignHCenter);
  title_->setWordWrap(true);
  text_ = new QLabel(this);
  text_->setForegroundRole(QPalette::PlaceholderText);
  text_->setAlignment(Qt::AlignHCenter);
  text_->setWordWrap(true);
  buttons_ = new QWidget(this);
  buttons_->setLayout(beside_or_below());
  column->addWidget(title_);
  column->addSpacing(4);
  column->addWidget(text_);
  column->addSpacing(12);
  column->addWidget(buttons_);
  column->addStretch(3);
}

void EmptyState::say(const QString& title, const QString& text, const std::vector<Offer>& offers) {
  title_->setText(title);
  text_->setText(text);
  setAccessibleDescription(title + QLatin1Char(' ') + text);
  QStringList names;
  for (const Offer& o : offers) names << o.first;
  offers_ = offers;
  // The same offers keep their buttons: one may be just being pressed.
  if (names == names_) return;
  names_ = names;
  auto* row = static_cast<QBoxLayout*>(buttons_->layout());
  while (QLayoutItem* item = row->takeAt(0)) {
    if (item->widget()) {
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    delete item;
  }
  row->addStretch(1);
  for (std::size_t i = 0; i < offers.size(); ++i) {
    auto* one = button(offers[i].first, QStringLiteral("offer%1").arg(i), buttons_, i == 0);
    connect(one, &QPushButton::clicked, this, [this, i] {
      const auto run = offers_[i].second;
      run();
    });
    row->addWidget(one);
  }
  row->addStretch(1);
}

void EmptyState::setVisible(bool visible) {
  const QWidget* at = QApplication::focusWidget();
  if (!visible && at && isAncestorOf(at)) window()->setFocus();
  QWidget::setVisible(visible);
}

void draw_in_pencil(QLineEdit* line, bool pencil) {
  QFont slanted = line->font();
  slanted.setItalic(pencil);
  line->setFont(slanted);
  QPalette p;
  if (pencil) {
    p = line->palette();
    p.setColor(QPalette::Text, Theme::current().muted());
  }
  line->setPalette(p);
  line->setAccessibleDescription(pencil ? QLineEdit::tr("proposed, not set") : QString());
}

void underline_pencil(QPainter& painter, const QLineEdit* line) {
  painter.setPen(QPen(Theme::current().muted(), 1.2, Qt::DotLine));
  const int under = line->height() / 2 + line->fontMetrics().height() / 2 + 1;
  const int to = 10 + line->fontMetrics().horizontalAdvance(line->text());
  painter.drawLine(8, under, std::min(line->width() - 8, to), under);
}

QuantityEdit::QuantityEdit(const QString& name, const QString& accessible_name, Dimension dimension,
                           QWidget* parent, bool optional)
    : QLineEdit(parent), dimension_(dimension), optional_(optional) {
  setObjectName(name);
  setAccessibleName(accessible_name);
  setPlaceholderText(optional ? tr("–") : QString());
  connect(this, &QLineEdit::editingFinished, this, [this] {
    if (!waits_) take();
  });
  connect(this, &QLineEdit::returnPressed, this, [this] {
    if (waits_) take();
  });
  connect(this, &QLineEdit::textEdited, this, [this] { sketch(text() != shown_); });
}

void QuantityEdit::waitForEnter() { waits_ = true; }

void QuantityEdit::propose(double value) {
  setText(written(value));
  setCursorPosition(0);
  sketch(text() != shown_);
}

QString QuantityEdit::written(double value) const {
  return QString::fromStdString(formats::quantity_text(value, dimension_, 5))
      .replace(QStringLiteral(" u"), QStringLiteral(" µ"));
}

void QuantityEdit::sketch(bool pencil) {
  if (pencil == pencil_) return;
  pencil_ = pencil;
  draw_in_pencil(this, pencil);
  if (!pencil) {
    FieldNote::clear(this);
  } else if (waits_) {
    FieldNote::hint(this, tr("Enter sets it · Esc takes it back"));
  }
  update();
}

void QuantityEdit::focusInEvent(QFocusEvent* event) {
  QLineEdit::focusInEvent(event);
  if (isWrong()) {
    FieldNote::say(this, trouble_);
  } else if (pencil_ && waits_) {
    FieldNote::hint(this, tr("Enter sets it · Esc takes it back"));
  }
}

void QuantityEdit::setQuantity(std::optional<double> value) {
  value_ = value;
  const bool keeps = waits_ && pencil_;  // what is being written is not lost to what holds
  if (!keeps) {
    trouble_.clear();
    FieldNote::clear(this);
  }
  shown_ = value ? written(*value) : QString();
  if (keeps) return;
  sketch(false);
  if (!hasFocus() || text() != shown_) {
    setText(shown_);
    setCursorPosition(0);  // where it is too long its beginning is seen
  }
  setToolTip({});
  update();
}

void QuantityEdit::setChanged(bool changed) {
  changed_ = changed;
  update();
}

QString QuantityEdit::withUnit(const QString& typed) const {
  bool bare = false;
  QLocale::c().toDouble(typed, &bare);
  const auto space = shown_.indexOf(QLatin1Char(' '));
  return bare && space > 0 ? typed + shown_.mid(space) : typed;
}

void QuantityEdit::keyPressEvent(QKeyEvent* event) {
  if (event->key() != Qt::Key_Escape || (text() == shown_ && trouble_.isEmpty()))
    return QLineEdit::keyPressEvent(event);
  takeBack();
  event->accept();
}

void QuantityEdit::takeBack() {
  sketch(false);
  setQuantity(value_);
  setText(shown_);
}

bool QuantityEdit::isReadable() const {
  if (text().trimmed().isEmpty()) return optional_;
  try {
    parse_quantity(withUnit(text().trimmed()).toStdString(), dimension_);
    return true;
  } catch (const std::invalid_argument&) {  // told when it is taken
    return false;
  }
}

void QuantityEdit::take() {
  if (text() == shown_ && trouble_.isEmpty()) return;
  const QString typed = text().trimmed();
  std::optional<double> value;
  try {
    if (!typed.isEmpty()) {
      value = parse_quantity(withUnit(typed).toStdString(), dimension_);
    } else if (!optional_) {
      throw std::invalid_argument("it needs " + describe(dimension_));
    }
  } catch (const std::invalid_argument& e) {
    trouble_ = QString::fromUtf8(e.what());
    setToolTip(trouble_);
    update();
    const QString why = tr("%1: %2. Value unchanged.").arg(accessibleName(), trouble_);
    FieldNote::say(this, why);
    emit wrong(why);
    return;
  }
  const bool moved = value != value_;
  sketch(false);
  setQuantity(value);
  if (moved) emit quantityEdited();
}

void QuantityEdit::paintEvent(QPaintEvent* event) {
  QLineEdit::paintEvent(event);
  if (!isWrong() && !changed_ && !pencil_) return;
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  if (pencil_ && !isWrong()) {
    underline_pencil(painter, this);
    return;
  }
  if (isWrong()) {
    painter.setPen(QPen(Theme::current().accent(), 1.5));
    painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 3, 3);
  } else {  // a mark at the right edge
    painter.setPen(Qt::NoPen);
    painter.setBrush(Theme::current().accent());
    painter.drawEllipse(QPointF(width() - 10, height() / 2.0), 3, 3);
  }
}

void copy_picture(QWidget* widget) { QApplication::clipboard()->setPixmap(widget->grab()); }

void offer_picture(QWidget* widget) {
  widget->setContextMenuPolicy(Qt::CustomContextMenu);
  QObject::connect(widget, &QWidget::customContextMenuRequested, widget, [widget](QPoint at) {
    QMenu menu(widget);
    QObject::connect(menu.addAction(QObject::tr("Copy picture")), &QAction::triggered, widget,
                     [widget] { copy_picture(widget); });
    menu.exec(widget->mapToGlobal(at));
  });
}

}  // namespace kuvio::app
