// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/import_page.h"

#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/trace_sketch.h"
#include "core/accuracy.h"
#include "formats/import_layout.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

/// What a column can be, with the units that it comes in; the words of a column option.
struct Meaning {
  const char *role, *shown;
  QStringList units;
};

const std::vector<Meaning>& meanings() {
  static const std::vector<Meaning> all{
      {"ignore", QT_TRANSLATE_NOOP("ImportPage", "left out"), {}},
      {"time",
       QT_TRANSLATE_NOOP("ImportPage", "time"),
       {QStringLiteral("s"), QStringLiteral("ms"), QStringLiteral("µs"), QStringLiteral("ns"),
        QStringLiteral("min"), QStringLiteral("h")}},
      {"current",
       QT_TRANSLATE_NOOP("ImportPage", "current"),
       {QStringLiteral("A"), QStringLiteral("mA"), QStringLiteral("µA"), QStringLiteral("nA")}},
      {"voltage",
       QT_TRANSLATE_NOOP("ImportPage", "voltage"),
       {QStringLiteral("V"), QStringLiteral("mV"), QStringLiteral("µV")}}};
  return all;
}

int meaning_of(formats::Role role) {
  switch (role) {
    case formats::Role::time:
      return 1;
    case formats::Role::current:
      return 2;
    case formats::Role::voltage:
      return 3;
    case formats::Role::ignore:
      break;
  }
  return 0;
}

QString sentence_of(QString text) {
  if (!text.isEmpty()) text[0] = text[0].toUpper();
  return text.endsWith(QLatin1Char('.')) ? text : text + QLatin1Char('.');
}

void clear(QGridLayout* grid) {
  while (QLayoutItem* item = grid->takeAt(0)) {
    if (item->widget()) item->widget()->deleteLater();
    delete item;
  }
}

}  // namespace

/// The trace as it will be, small.
class ImportSketch : public QWidget {
public:
  explicit ImportSketch(QWidget* parent) : QWidget(parent) {
    setObjectName(QStringLiteral("importSketch"));
    setAccessibleName(ImportPage::tr("The trace as it will be"));
    setMinimumHeight(Px{70});
  }
  void show(const ImportPreview& preview) {
    columns_ = preview.sketch;
    scale_ = preview.quantity == Quantity::current ? SketchScale::decades : SketchScale::straight;
    update();
  }

protected:
  void paintEvent(QPaintEvent*) override {
    QPainter painter(this);
    const Theme& t = Theme::current();
    painter.setPen(t.rulingTenth());
    painter.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    if (!columns_.empty())
      paint_sketch(painter, QRectF(rect()).adjusted(6, 6, -6, -6), columns_, t.ink(0), scale_);
  }

private:
  std::vector<EnvelopeColumn> columns_;
  SketchScale scale_ = SketchScale::decades;
};

ImportPage::ImportPage(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("importPage"));
  setAccessibleName(tr("Import"));
  auto* page = new QVBoxLayout(this);
  page->setContentsMargins(24, 16, 24, 12);
  page->setSpacing(10);
  makeHead();
  makeFields();
}

/// Title and files, then the head of the log beside its columns.
void ImportPage::makeHead() {
  auto* page = static_cast<QVBoxLayout*>(layout());
  auto* top = new QHBoxLayout;
  auto* title = new QLabel(tr("Import"), this);
  title->setFont(Theme::baseFont(19, QFont::DemiBold));
  top->addWidget(title);
  which_ = new QComboBox(this);
  which_->setObjectName(QStringLiteral("importFile"));
  which_->setAccessibleName(tr("File that is shown"));
  which_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  connect(which_, &QComboBox::activated, this, [this](int at) { choose(files_.value(at)); });
  top->addWidget(which_);
  top->addStretch(1);
  page->addLayout(top);
  auto* both = beside_or_below();
  both->setSpacing(24);
  head_ = new QPlainTextEdit(this);
  head_->setObjectName(QStringLiteral("importHead"));
  head_->setAccessibleName(tr("First lines of the log"));
  head_->setReadOnly(true);
  head_->setLineWrapMode(QPlainTextEdit::NoWrap);
  head_->setFont(mono_font(12));
  head_->setMinimumSize(Px{260}, Px{140});
  both->addWidget(head_, 5);
  auto* right = new QVBoxLayout;
  right->addWidget(heading(tr("WHAT ITS COLUMNS ARE"), this));
  columns_ = new QGridLayout;
  columns_->setHorizontalSpacing(10);
  columns_->setVerticalSpacing(4);
  columns_->setColumnStretch(3, 1);
  right->addLayout(columns_);
  found_ = remark({}, this);
  found_->setObjectName(QStringLiteral("importFound"));
  right->addWidget(found_);
  right->addStretch(1);
  both->addLayout(right, 6);
  page->addLayout(both, 1);
}

void ImportPage::makeFields() {
  auto* page = static_cast<QVBoxLayout*>(layout());
  const auto named = [this](const QString& text) {
    auto* label = remark(text, this);
    label->setWordWrap(false);
    return label;
  };
  auto* row = new QHBoxLayout;
  build_ = new QLineEdit(this);
  build_->setObjectName(QStringLiteral("importBuild"));
  build_->setAccessibleName(tr("Build under test"));
  build_->setPlaceholderText(tr("e.g. 2.4.0"));
  kind_ = new QComboBox(this);
  kind_->setObjectName(QStringLiteral("importKind"));
  kind_->setAccessibleName(tr("What a sample is"));
  kind_->addItems({tr("instants: straight lines between"), tr("averages: each over its interval")});
  shunt_ = new QuantityEdit(QStringLiteral("importShunt"), tr("Shunt that its voltage is of"),
                            Dimension::resistance, this, true);
  shunt_->setPlaceholderText(tr("none"));
  shunt_->setMaximumWidth(Px{90});
  rate_ = new QuantityEdit(QStringLiteral("importRate"), tr("Samples per second"),
                           Dimension::frequency, this, true);
  rate_->setMaximumWidth(Px{90});
  accuracy_ = new QLineEdit(this);
  accuracy_->setObjectName(QStringLiteral("importAccuracy"));
  accuracy_->setAccessibleName(tr("Accuracy of its current"));
  accuracy_->setPlaceholderText(tr("e.g. 0.1 % + 1 µA"));
  connect(accuracy_, &QLineEdit::editingFinished, this, &ImportPage::takeAccuracy);
  decimal_ = new QComboBox(this);
  decimal_->setObjectName(QStringLiteral("importDecimal"));
  decimal_->setAccessibleName(tr("What 1,234 is"));
  decimal_->addItems({tr("cannot be told"), tr("one and a bit"), tr("a thousand and a bit")});
  decimal_name_ = named(tr("1,234 is"));
  rate_name_ = named(tr("Rate"));
  for (QWidget* w : std::initializer_list<QWidget*>{
           named(tr("Build")), build_, named(tr("Samples are")), kind_, named(tr("Shunt")), shunt_,
           named(tr("Accuracy")), accuracy_, rate_name_, rate_, decimal_name_, decimal_})
    row->addWidget(w);
  row->addStretch(1);
  page->addLayout(row);
  sketch_ = new ImportSketch(this);
  page->addWidget(sketch_);
  figures_ = remark({}, this);
  figures_->setObjectName(QStringLiteral("importFigures"));
  trouble_ = new QLabel(this);
  trouble_->setObjectName(QStringLiteral("importTrouble"));
  trouble_->setWordWrap(true);
  auto* foot = new QHBoxLayout;
  auto* words = new QVBoxLayout;
  words->addWidget(figures_);
  words->addWidget(trouble_);
  foot->addLayout(words, 1);
  cancel_ = button(tr("Cancel"), QStringLiteral("importCancel"), this);
  import_ = button(tr("Import"), QStringLiteral("importGo"), this, true);
  foot->addWidget(cancel_);
  foot->addWidget(import_);
  page->addLayout(foot);
  connect(cancel_, &QPushButton::clicked, this, &ImportPage::cancelled);
  connect(import_, &QPushButton::clicked, this, &ImportPage::press);
  const auto changed = [this] {
    if (filling_) return;
    builds_[file_] = build_->text().trimmed();
    Said& said = saidOf(file_);
    said.remembered = false;
    said.accuracy = accuracy_->text().trimmed();
    said.averaged = kind_->currentIndex() == 1;
    said.shunt_ohm = shunt_->quantity();
    said.rate_hz = rate_->quantity();
    const int mark = decimal_->currentIndex();
    said.decimal = mark == 1 ? QStringLiteral(",") : mark == 2 ? QStringLiteral(".") : QString();
    ask();
  };
  connect(build_, &QLineEdit::returnPressed, this, [this] {
    if (ready()) press();
  });
  connect(build_, &QLineEdit::textEdited, this,
          [this](const QString& text) { builds_[file_] = text.trimmed(); });
  for (QComboBox* box : {kind_, decimal_}) connect(box, &QComboBox::activated, this, changed);
  for (QuantityEdit* edit : {shunt_, rate_})
    connect(edit, &QuantityEdit::quantityEdited, this, changed);
}

void ImportPage::begin(const QStringList& files) {
  files_ = files;
  file_.clear();
  said_.clear();
  kinds_.clear();
  builds_.clear();
  which_->clear();
  for (const QString& f : files_) which_->addItem(file_name(f));
  which_->setVisible(true);
  which_->setEnabled(files_.size() > 1);
  import_->setText(files_.size() > 1 ? tr("Import %1 files").arg(files_.size()) : tr("Import"));
  import_->setEnabled(false);
  asking_ = true;
  figures_->setText(tr("Reading…"));
  trouble_->clear();
  build_->setFocus(Qt::OtherFocusReason);
  session_.withFiles(
      [this, files, mine = ++asked_](const std::stop_token& stop) -> std::function<void()> {
        std::map<QString, QString> kinds;
        for (const QString& f : files) kinds[f] = qs(formats::kind_of_log(f.toStdString(), stop));
        return [this, kinds, mine] {
          if (mine == asked_) takeKinds(kinds);
        };
      },
      {});
}

void ImportPage::choose(const QString& file) {
  file_ = file;
  preview_.reset();
  filling_ = true;
  const Said said = known(file) ? *known(file) : Said{};
  which_->setCurrentIndex(static_cast<int>(files_.indexOf(file)));
  build_->setText(builds_[file]);
  accuracy_->setText(said.accuracy);
  kind_->setCurrentIndex(said.averaged ? 1 : 0);
  shunt_->setQuantity(said.shunt_ohm);
  rate_->setQuantity(said.rate_hz);
  decimal_->setCurrentIndex(said.decimal == QLatin1String(",")   ? 1
                            : said.decimal == QLatin1String(".") ? 2
                                                                 : 0);
  filling_ = false;
  rate_->setVisible(said.rate_hz.has_value());
  rate_name_->setVisible(said.rate_hz.has_value());
  decimal_->setVisible(!said.decimal.isEmpty());
  decimal_name_->setVisible(!said.decimal.isEmpty());
  clear(columns_);
  head_->clear();
  sketch_->show({});
  ask();
}

formats::ImportSettings ImportPage::settingsOf(const QString& file) const {
  formats::ImportSettings out;
  if (const auto build = builds_.find(file); build != builds_.end())
    out.build = build->second.toStdString();
  const Said* said = known(file);
  if (!said) return out;
  out.accuracy = said->accuracy.toStdString();
  out.kind = said->averaged ? SampleKind::averaged : SampleKind::instant;
  out.rate_hz = said->rate_hz;
  out.shunt_ohm = said->shunt_ohm;
  if (!said->decimal.isEmpty()) out.decimal = said->decimal.front().toLatin1();
  for (const auto& [place, text] : said->columns)
    out.columns.push_back((QString::number(place + 1) + QLatin1Char('=') + text).toStdString());
  return out;
}

void ImportPage::ask() {
  asking_ = true;
  import_->setEnabled(false);
  figures_->setText(tr("Reading…"));
  trouble_->clear();
  session_.previewImport(file_, settingsOf(file_),
                         [this, mine = ++asked_](const ImportPreview& preview) {
                           if (mine == asked_) take(preview);
                         });
}

void ImportPage::take(const ImportPreview& preview) {
  preview_ = preview;
  asking_ = false;
  QStringList numbered;
  for (int i = 0; i < preview.head.size(); ++i)
    numbered << QStringLiteral("%1  %2").arg(i + 1, 3).arg(preview.head[i]);
  const QString text = numbered.join(QLatin1Char('\n'));
  if (head_->toPlainText() != text) head_->setPlainText(text);
  showColumns();
  QStringList found;
  if (const Said* said = known(file_); said && said->remembered)
    found << tr("read as the last log of this kind: Enter imports it");
  if (!preview.kind.isEmpty()) found << tr("%1: it says itself what it holds").arg(preview.kind);
  for (const formats::ImportGuess& g : preview.guesses)
    found << (g.column.empty() ? QString() : QStringLiteral("\"%1\": ").arg(qs(g.column))) +
                 qs(g.why) +
                 (g.lines.empty() ? QString() : QStringLiteral(" (%1)").arg(qs(g.lines)));
  for (const QString& w : preview.warnings) {
    // What a guess says already.
    const bool said = std::any_of(
        preview.guesses.begin(), preview.guesses.end(), [&](const formats::ImportGuess& g) {
          return !g.why.empty() && w.contains(qs(g.why)) &&
                 (g.column.empty() || w.contains(QStringLiteral("\"%1\"").arg(qs(g.column))));
        });
    if (!said && !found.join(QLatin1Char(' ')).contains(w)) found << w;
  }
  if (!preview.skipped.empty())
    found << (preview.skipped.size() == 1 ? tr("Line %1 skipped: %2")
                                          : tr("%n lines skipped; line %1: %2", nullptr,
                                               static_cast<int>(preview.skipped.size())))
                 .arg(preview.skipped.front().line)
                 .arg(qs(preview.skipped.front().why));
  for (QString& one : found) one[0] = one[0].toUpper();
  if (preview.first_line > 1) found << tr("Samples begin in line %1.").arg(preview.first_line);
  found_->setText(found.join(QLatin1Char('\n')));
  sketch_->show(preview);
  figures_->setText(preview.figures);
  trouble_->setText(preview.trouble.isEmpty() ? QString() : sentence_of(preview.trouble));
  QPalette p = trouble_->palette();
  p.setColor(QPalette::WindowText, Theme::current().accent());
  trouble_->setPalette(p);
  if (preview.asks == formats::LogAsks::rate) {
    rate_name_->show();
    rate_->show();
  }
  if (preview.asks == formats::LogAsks::decimal) {
    decimal_name_->show();
    decimal_->show();
  }
  import_->setEnabled(preview.trouble.isEmpty());
}

void ImportPage::showColumns() {
  clear(columns_);
  for (std::size_t i = 0; i < preview_->columns.size(); ++i)
    addColumn(static_cast<int>(i), preview_->columns[i]);
}

void ImportPage::addColumn(int row, const formats::Column& column) {
  auto* title = new QLabel(qs(column.title), this);
  title->setMaximumWidth(Px{200});
  auto* role = new QComboBox(this);
  role->setObjectName(QStringLiteral("importRole%1").arg(row + 1));
  role->setAccessibleName(tr("What column %1 is").arg(qs(column.title)));
  for (const Meaning& m : meanings()) role->addItem(tr(m.shown));
  const int meaning = meaning_of(column.role);
  role->setCurrentIndex(meaning);
  auto* unit = new QComboBox(this);
  unit->setObjectName(QStringLiteral("importUnit%1").arg(row + 1));
  unit->setAccessibleName(tr("Unit of column %1").arg(qs(column.title)));
  QStringList units = meanings()[static_cast<std::size_t>(meaning)].units;
  QString own = qs(column.unit);
  if (own.size() == 2 && own[0] == QLatin1Char('u')) own.replace(0, 1, QStringLiteral("µ"));
  if (meaning > 0 && !own.isEmpty() && !units.contains(own)) units.prepend(own);
  unit->addItems(units);
  unit->setCurrentText(own);
  unit->setVisible(meaning > 0);
  auto* doubt = remark(meaning > 0 ? qs(column.doubt) : QString(), this);
  columns_->addWidget(title, row, 0);
  columns_->addWidget(role, row, 1);
  columns_->addWidget(unit, row, 2);
  columns_->addWidget(doubt, row, 3);
  connect(role, &QComboBox::activated, this, [this, row](int at) {
    const Meaning& m = meanings()[static_cast<std::size_t>(at)];
    sayColumn(row, QLatin1String(m.role), m.units.value(0));
  });
  connect(unit, &QComboBox::activated, this, [this, row, role, unit] {
    sayColumn(row, QLatin1String(meanings()[static_cast<std::size_t>(role->currentIndex())].role),
              unit->currentText());
  });
}

/// A statement that cannot be read is told at its field.
void ImportPage::takeAccuracy() {
  const QString text = accuracy_->text().trimmed();
  const Said* said = known(file_);
  if (file_.isEmpty() || text == (said ? said->accuracy : QString())) return;
  try {
    if (!text.isEmpty()) parse_accuracy(text.toStdString(), Dimension::current);
  } catch (const std::invalid_argument& e) {
    return FieldNote::say(accuracy_, QString::fromUtf8(e.what()));
  }
  FieldNote::clear(accuracy_);
  saidOf(file_).accuracy = text;
  ask();
}

void ImportPage::sayColumn(int place, const QString& role, const QString& unit) {
  Said& said = saidOf(file_);
  said.remembered = false;
  said.columns[place] = unit.isEmpty() ? role : role + QLatin1Char('[') + unit + QLatin1Char(']');
  ask();
}

void ImportPage::press() {
  builds_[file_] = build_->text().trimmed();
  keepLayouts();
  std::vector<Session::ImportJob> jobs;
  for (const QString& f : files_) jobs.push_back({f, settingsOf(f)});
  emit importRequested(jobs);
}

/// Esc is the page's before it is anybody's shortcut.
bool ImportPage::event(QEvent* event) {
  if (event->type() == QEvent::ShortcutOverride &&
      static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
    event->accept();
    return true;
  }
  return QWidget::event(event);
}

void ImportPage::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) return emit cancelled();
  QWidget::keyPressEvent(event);
}

}  // namespace kuvio::app
