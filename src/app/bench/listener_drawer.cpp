// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/listener_drawer.h"

#include "acquire/endpoint.h"
#include "acquire/line_reader.h"
#include "app/bench/wire_plan.h"
#include "app/engine/text.h"
#include "app/engine/time_notation.h"
#include "app/style/field_note.h"
#include "app/style/widgets.h"
#include "book/text.h"
#include "core/error.h"
#include "core/number_text.h"
#include "formats/log_number.h"

#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>

#include <algorithm>
#include <cmath>
#include <utility>

namespace kuvio::app {
namespace {

constexpr int kSpeeds[] = {9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600};
constexpr int kUsualSpeed = 115200;

/// What a column of numbers may be, and the title that says so.
struct ColumnMeaning {
  const char* words;
  const char* title;
};
constexpr ColumnMeaning kMeanings[] = {
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "left out"), "-"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "current in A"), "I (A)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "current in mA"), "I (mA)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "current in µA"), "I (uA)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "current in nA"), "I (nA)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "voltage in V"), "V (V)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "voltage in mV"), "V (mV)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "time in s"), "t (s)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "time in ms"), "t (ms)"},
    {QT_TRANSLATE_NOOP("kuvio::app::ListenerDrawer", "time in µs"), "t (us)"},
};
constexpr std::size_t kMostColumns = 6;

/// The address, read; nothing where it can't be.
std::optional<acquire::Endpoint> parsed(const QString& address) {
  try {
    return acquire::parse_endpoint(address.toStdString());
  } catch (const Error&) {  // told when it was connected to
    return std::nullopt;
  }
}

QString with_option(const QString& address, const char* name, const QString& value) {
  return qs(acquire::with_option(address.toStdString(), name, value.toStdString()));
}

/// "140 µs", "16".
QString value_text(double value, const std::string& unit) {
  return unit.empty() ? QString::number(value, 'g', 9) : qs(with_prefix(value, unit, 4));
}

Dimension dimension_of(const std::string& unit) {
  return unit == "s"    ? Dimension::time
         : unit == "Hz" ? Dimension::frequency
                        : Dimension::resistance;
}

}  // namespace

ListenerDrawer::ListenerDrawer(What what, QString address, BenchControl& bench, QWidget* parent)
    : DrawerPage(QStringLiteral("listenerDrawer"), tr("LISTENS"), bench, parent),
      what_(what),
      address_(std::move(address)) {
  if (what_ == What::logic) {
    logic_ = line(QStringLiteral("logicLines"), tr("Names of logic lines, from bit 0"),
                  tr("e.g. radio_on, locate_on"));
    add(0, tr("Logic lines"), logic_);
    add(1, {}, remark(tr("Named from bit 0 up; recorded beside the current."), this));
    connect(logic_, &QLineEdit::textChanged, this, &ListenerDrawer::changed);
    return;
  }
  where_ =
      line(what_ == What::log ? QStringLiteral("logAddress") : QStringLiteral("inputAddress"),
           what_ == What::log ? tr("Address of the device log") : tr("Address of the input"), {});
  where_->setText(address_);
  add(0, tr("Address"), where_);
  connect(where_, &QLineEdit::returnPressed, this, [this] {
    if (where_->text().trimmed() != address_)
      emit addressChanged(address_, where_->text().trimmed());
  });
  addSpeed();
  addRate();
  auto* away = button(tr("Disconnect"), QStringLiteral("disconnectListener"), this);
  connect(away, &QPushButton::clicked, this, [this] { emit addressChanged(address_, {}); });
  auto* talk = button(tr("Said and answered…"), QStringLiteral("talkListener"), this);
  connect(talk, &QPushButton::clicked, this, [this] { emit talkRequested(address_); });
  const bool instrument = address_.startsWith(QLatin1String("scpi"));
  talk->setVisible(instrument);
  addRow(0, {}, {away, talk});
  is_ = remark({}, this);
  add(1, tr("It is"), is_);
  reads_ = remark({}, this);
  reads_->setWordWrap(true);
  reads_->setObjectName(QStringLiteral("listenerReads"));
  add(1, tr("Reads"), reads_);
  if (what_ == What::input) addChannels();
  addColumns();
  refresh();
}

/// Another speed is another address: the line is opened anew.
void ListenerDrawer::addSpeed() {
  const auto endpoint = parsed(address_);
  if (!endpoint || endpoint->over != "serial") return;
  auto* speed = new QComboBox(this);
  speed->setObjectName(QStringLiteral("listenerSpeed"));
  speed->setAccessibleName(tr("Speed of the serial line"));
  bool usual = false;
  const int now =
      QString::fromStdString(endpoint->option("baud", std::to_string(kUsualSpeed))).toInt(&usual);
  for (const int one : kSpeeds) speed->addItem(tr("%1 baud").arg(one), one);
  if (usual && speed->findData(now) < 0) speed->insertItem(0, tr("%1 baud").arg(now), now);
  speed->setCurrentIndex(std::max(0, speed->findData(now)));
  add(0, tr("Speed"), speed);
  connect(speed, &QComboBox::activated, this, [this, speed](int index) {
    const QString to =
        with_option(address_, "baud", QString::number(speed->itemData(index).toInt()));
    if (to != address_) emit addressChanged(address_, to);
  });
}

/// A kernel sensor is read as often as is asked for, and has settings of its own.
void ListenerDrawer::addRate() {
  const auto endpoint = parsed(address_);
  if (!endpoint || endpoint->protocol != acquire::Protocol::sysfs) return;
  auto* rate = new QuantityEdit(QStringLiteral("sensorRate"), tr("How often it is read"),
                                Dimension::frequency, this, true);
  rate->setPlaceholderText(tr("as recorded, at most 100 Hz"));
  if (const double hz = endpoint->rate_hz(); hz > 0) rate->setQuantity(hz);
  add(0, tr("Read at"), rate);
  connect(rate, &QuantityEdit::quantityEdited, this, [this, rate] {
    const auto hz = rate->quantity();
    if (hz && !(*hz > 0 && *hz <= 1000)) {
      FieldNote::say(rate, tr("More than 0 and at most 1 kHz."));
      return;
    }
    const QString to =
        with_option(address_, "rate", hz ? QStringLiteral("%1 Hz").arg(*hz, 0, 'g', 9) : QString());
    if (to != address_) emit addressChanged(address_, to);
  });
  sensor_ = new QWidget(this);
  sensor_->setObjectName(QStringLiteral("sensorSettings"));
  add(2, {}, sensor_);
  connect(&bench_, &BenchControl::sensorRead, this,
          [this](const QString& address, const std::vector<acquire::SensorSetting>& settings) {
            if (address == address_) showSensor(settings);
          });
  bench_.readSensor(address_);
}

QWidget* ListenerDrawer::fieldOf(const acquire::SensorSetting& setting) {
  if (!setting.writable) {
    auto* fixed = remark(value_text(setting.value, setting.unit), sensor_);
    fixed->setToolTip(tr("This user may not write %1.").arg(qs(setting.file)));
    return fixed;
  }
  if (!setting.choices.empty()) {
    auto* choice = new QComboBox(sensor_);
    for (const double one : setting.choices) {
      choice->addItem(value_text(one, setting.unit), one);
      if (std::fabs(one - setting.value) <= 1e-6 * std::fabs(one))
        choice->setCurrentIndex(choice->count() - 1);
    }
    connect(choice, &QComboBox::activated, this, [this, choice, setting](int index) {
      bench_.setSensor(address_, setting, choice->itemData(index).toDouble());
    });
    return choice;
  }
  if (setting.unit.empty()) {
    auto* number = new QLineEdit(QString::number(setting.value, 'g', 9), sensor_);
    connect(number, &QLineEdit::returnPressed, this, [this, number, setting] {
      bool good = false;
      const double value = number->text().trimmed().toDouble(&good);
      if (good) {
        bench_.setSensor(address_, setting, value);
      } else {
        FieldNote::say(number, tr("A number is expected."));
      }
    });
    return number;
  }
  auto* quantity =
      new QuantityEdit(qs(setting.file), qs(setting.words), dimension_of(setting.unit), sensor_);
  quantity->setQuantity(setting.value);
  quantity->waitForEnter();
  connect(quantity, &QuantityEdit::quantityEdited, this, [this, quantity, setting] {
    if (quantity->quantity()) bench_.setSensor(address_, setting, *quantity->quantity());
  });
  return quantity;
}

/// What stands in the fields, anew; what is in pencil stays.
void ListenerDrawer::updateSensor(const acquire::SensorSetting& setting) {
  auto* field = sensor_->findChild<QWidget*>(qs(setting.file));
  if (auto* choice = qobject_cast<QComboBox*>(field)) {
    for (int i = 0; i < choice->count(); ++i) {
      const double one = choice->itemData(i).toDouble();
      if (std::fabs(one - setting.value) <= 1e-6 * std::fabs(one)) choice->setCurrentIndex(i);
    }
  } else if (auto* quantity = qobject_cast<QuantityEdit*>(field)) {
    if (!quantity->isPencil()) quantity->setQuantity(setting.value);
  } else if (auto* number = qobject_cast<QLineEdit*>(field)) {
    if (!number->hasFocus()) number->setText(value_text(setting.value, setting.unit));
  } else if (auto* fixed = qobject_cast<QLabel*>(field)) {
    fixed->setText(value_text(setting.value, setting.unit));
  }
}

void ListenerDrawer::showSensor(const std::vector<acquire::SensorSetting>& settings) {
  const auto alike = [](const acquire::SensorSetting& a, const acquire::SensorSetting& b) {
    return a.file == b.file && a.choices == b.choices && a.writable == b.writable;
  };
  const auto before = std::exchange(settings_, settings);
  if (sensor_->layout() &&
      std::equal(before.begin(), before.end(), settings.begin(), settings.end(), alike)) {
    for (const acquire::SensorSetting& one : settings) updateSensor(one);
    return;
  }
  delete sensor_->layout();
  qDeleteAll(sensor_->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
  auto* form = new QFormLayout(sensor_);
  form->setContentsMargins(0, 0, 0, 0);
  form->setVerticalSpacing(4);
  for (const acquire::SensorSetting& one : settings) {
    QWidget* field = fieldOf(one);
    field->setObjectName(qs(one.file));
    field->setAccessibleName(qs(one.words));
    form->addRow(qs(one.words), field);
  }
  if (settings.empty()) form->addRow(remark(tr("Its driver lets nothing be set."), sensor_));
}

/// Lines that do not say plainly what they are: the last of them, and what each column is taken
/// for, to be put right.
void ListenerDrawer::addColumns() {
  const auto endpoint = parsed(address_);
  if (!endpoint || endpoint->protocol != acquire::Protocol::lines) return;
  heard_ = remark({}, this);
  heard_->setObjectName(QStringLiteral("heardLines"));
  heard_->setAccessibleName(tr("Its last lines"));
  heard_->setFont(mono_font(11));
  heard_->setWordWrap(false);
  heard_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  columns_box_ = new QWidget(this);
  auto* row = new QHBoxLayout(columns_box_);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(4);
  read_so_ = button(tr("Read it so"), QStringLiteral("readSo"), this);
  read_so_->setEnabled(false);
  connect(read_so_, &QPushButton::clicked, this, &ListenerDrawer::readSo);
  add(2, {}, heard_);
  add(2, {}, columns_box_);
  addRow(2, {}, {read_so_});
  for (QWidget* w : {columns_box_, static_cast<QWidget*>(read_so_)}) setRowShown(w, false);
}

void ListenerDrawer::refreshColumns(const std::vector<std::string>& heard) {
  if (!heard_ || heard.empty()) return;
  QStringList lines;
  for (const std::string& one : heard) lines << qs(book::printable(one));
  heard_->setText(lines.join(QLatin1Char('\n')));
  if (!columns_.isEmpty()) return;
  // By what was said of them, else by the line itself.
  const auto endpoint = parsed(address_);
  const std::string said = endpoint ? endpoint->option("columns") : std::string();
  // A line of words between readings has fewer cells.
  std::vector<formats::Column> columns;
  for (const std::string& one : heard) {
    auto cells = acquire::columns_of_line(one);
    if (cells.size() >= columns.size()) columns = std::move(cells);
  }
  cells_ = columns.size();
  if (!said.empty()) {
    std::vector<std::string_view> titles;
    formats::split_log_line(said, ',', titles);
    for (std::size_t i = 0; i < columns.size() && i < titles.size(); ++i)
      columns[i] = formats::guess_column(std::string(titles[i]));
  }
  for (std::size_t i = 0; i < columns.size() && i < kMostColumns; ++i) {
    auto* one = new QComboBox(columns_box_);
    one->setObjectName(QStringLiteral("lineColumn%1").arg(i + 1));
    one->setAccessibleName(tr("What column %1 is").arg(i + 1));
    int now = 0;
    for (const ColumnMeaning& m : kMeanings) {
      one->addItem(tr(m.words), QLatin1String(m.title));
      const formats::Column meant = formats::guess_column(m.title);
      if (meant.role == columns[i].role && meant.role != formats::Role::ignore &&
          std::fabs(meant.factor - columns[i].factor) < 1e-6 * meant.factor)
        now = one->count() - 1;
    }
    one->setCurrentIndex(now);
    connect(one, &QComboBox::activated, this, [this] {
      bool any = false;  // a current or a voltage
      for (const QComboBox* c : std::as_const(columns_)) {
        const QString title = c->currentData().toString();
        any |= title.startsWith(QLatin1Char('I')) || title.startsWith(QLatin1Char('V'));
      }
      read_so_->setEnabled(any);
    });
    columns_box_->layout()->addWidget(one);
    columns_ << one;
  }
  for (QWidget* w : {columns_box_, static_cast<QWidget*>(read_so_)})
    setRowShown(w, !columns_.isEmpty());
}

void ListenerDrawer::readSo() {
  QStringList titles;
  for (const QComboBox* c : std::as_const(columns_)) titles << c->currentData().toString();
  // Columns beyond those there is a choice for are left out; all must be named.
  while (titles.size() < static_cast<qsizetype>(cells_)) titles << QStringLiteral("-");
  const QString to = with_option(address_, "columns", titles.join(QLatin1Char(',')));
  if (to != address_) emit addressChanged(address_, to);
}

void ListenerDrawer::addChannels() {
  channels_ = button(tr("all channels"), QStringLiteral("listenerChannels"), this);
  channels_->setAccessibleName(tr("Channels that are recorded"));
  channel_menu_ = new QMenu(channels_);
  channels_->setMenu(channel_menu_);
  add(1, tr("Records"), channels_);
  setRowShown(channels_, false);
}

void ListenerDrawer::refreshChannels(const QStringList& names) {
  if (names == known_) return;
  known_ = names;
  channel_menu_->clear();
  const auto say = [this] {
    const auto kept = std::count_if(known_.begin(), known_.end(),
                                    [&](const QString& n) { return left_out_.count(n) == 0; });
    channels_->setText(kept == known_.size() ? tr("all channels")
                                             : tr("%1 of %2").arg(kept).arg(known_.size()));
    // The last one stays: an input of which nothing is recorded is none.
    for (QAction* a : channel_menu_->actions()) a->setEnabled(kept > 1 || !a->isChecked());
  };
  for (const QString& name : known_) {
    QAction* one = channel_menu_->addAction(name);
    one->setCheckable(true);
    one->setChecked(left_out_.count(name) == 0);
    connect(one, &QAction::toggled, this, [this, name, say](bool on) {
      if (on) {
        left_out_.erase(name);
      } else {
        left_out_.insert(name);
      }
      say();
      emit changed();
    });
  }
  say();
  setRowShown(channels_, known_.size() > 1);
}

void ListenerDrawer::refresh() {
  if (what_ == What::logic) return;
  if (what_ == What::log) {
    is_->setText(tr("the device's own log, kept with every capture"));
    const auto ago = bench_.lastLineAgo();
    reads_->setText(bench_.state().log_no_text ? tr("no text: it may speak at another speed")
                    : ago ? tr("last line %1 ago").arg(qs(time_text(std::floor(*ago), 0)))
                          : tr("no line yet"));
    return;
  }
  for (const acquire::InputState& other : bench_.state().others) {
    if (qs(other.address) != address_) continue;
    is_->setText(other.identity.empty() ? address_ : qs(other.identity));
    QStringList reads, names;
    for (const acquire::LiveChannel& c : other.channels) {
      names << qs(c.own_name.empty() ? c.name : c.own_name);
      if (const acquire::LiveChannel* now = read_now(bench_.state(), c))
        reads << tr("%1 %2").arg(qs(now->name), reading_text(*now));
    }
    if (!names.isEmpty()) refreshChannels(names);
    refreshColumns(other.heard);
    reads_->setText(asks_for_columns(other)
                        ? tr("Its lines do not say what they are: choose it for each column.")
                    : !other.trouble.empty() ? qs(other.trouble)
                    : reads.isEmpty()        ? tr("no reading yet")
                                             : reads.join(QStringLiteral(", ")));
  }
}

QStringList ListenerDrawer::logic() const {
  QStringList out;
  if (!logic_) return out;
  for (const QString& name : logic_->text().split(QLatin1Char(','), Qt::SkipEmptyParts)) {
    if (!name.trimmed().isEmpty() && !out.contains(name.trimmed())) out << name.trimmed();
  }
  return out;
}

void ListenerDrawer::setLogic(const QStringList& names) {
  if (logic_) logic_->setText(names.join(QStringLiteral(", ")));
}

std::optional<FieldTrouble> ListenerDrawer::read(RecordRequest& r) const {
  for (const QString& name : logic()) r.logic.push_back(name.toStdString());
  std::vector<std::string> kept;
  for (const QString& name : known_)
    if (left_out_.count(name) == 0) kept.push_back(name.toStdString());
  if (!kept.empty() && kept.size() < static_cast<std::size_t>(known_.size()))
    r.channels[address_.toStdString()] = std::move(kept);
  return std::nullopt;
}

}  // namespace kuvio::app
