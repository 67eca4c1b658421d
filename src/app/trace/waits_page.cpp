// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/waits_page.h"

#include "app/engine/session.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/notebook_table.h"
#include "app/style/pixels.h"
#include "app/style/widgets.h"
#include "app/trace/time_text.h"
#include "app/trace/wait_plot.h"
#include "book/anchors.h"
#include "core/log_names.h"
#include "core/number_text.h"
#include "formats/account_results.h"

#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QStandardItemModel>
#include <QVBoxLayout>

#include <algorithm>
#include <map>
#include <set>

namespace kuvio::app {
namespace {

enum Kind { Line, Mark, Rise, Fall };
enum Column { From, Waited, Columns };
constexpr std::size_t kOffered = 40;

/// The kinds of line that a log has, the most frequent first.
std::vector<std::string> kinds_of_line(const std::vector<book::LogLine>& log) {
  std::map<std::string, std::size_t> count;
  for (const book::LogLine& line : log) {
    // What the bench tells has a sign in front.
    if (line.sent || line.text.empty() || static_cast<unsigned char>(line.text[0]) >= 0x80)
      continue;
    if (const std::string words = words_of(line.text); !words.empty()) ++count[words];
  }
  std::vector<std::pair<std::size_t, std::string>> by_count;
  for (const auto& [words, n] : count) by_count.emplace_back(n, words);
  std::sort(by_count.begin(), by_count.end(), [](const auto& a, const auto& b) {
    return a.first != b.first ? a.first > b.first : a.second < b.second;
  });
  std::vector<std::string> out;
  for (std::size_t i = 0; i < by_count.size() && i < kOffered; ++i)
    out.push_back(by_count[i].second);
  return out;
}

QComboBox* combo(const QString& name, const QString& accessible, QWidget* parent) {
  auto* out = new QComboBox(parent);
  out->setObjectName(name);
  out->setAccessibleName(accessible);
  out->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  return out;
}

}  // namespace

WaitsPage::WaitsPage(ViewState& view, Session& session, QWidget* parent)
    : QWidget(parent), view_(view), session_(session) {
  setObjectName(QStringLiteral("waitsPage"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  auto* top = beside_or_below();
  top->setContentsMargins(8, 2, 8, 0);
  kind_ = combo(QStringLiteral("waitKind"), tr("What is waited from"), this);
  kind_->addItems({tr("From log line"), tr("From mark"), tr("From rise of"), tr("From fall of")});
  of_ = combo(QStringLiteral("waitFrom"), tr("Which line, mark or logic line"), this);
  of_->setEditable(true);
  of_->setInsertPolicy(QComboBox::NoInsert);
  of_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  of_->setMinimumContentsLength(12);
  state_ = combo(QStringLiteral("waitState"), tr("The state that is waited for"), this);
  top->addWidget(kind_);
  top->addWidget(of_, 1);
  top->addWidget(remark(tr("to"), this));
  top->addWidget(state_);
  top->addStretch(1);
  column->addLayout(top);
  words_ = remark({}, this);
  words_->setObjectName(QStringLiteral("waitWords"));
  words_->setWordWrap(true);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  words_->setContentsMargins(Px{8}, 0, Px{8}, 0);
  column->addWidget(words_);
  auto* across = beside_or_below();
  across->setSpacing(8);
  model_ = new QStandardItemModel(0, Columns, this);
  table_ = new NotebookTable(QStringLiteral("waits"), tr("Waits"), 20, this);
  table_->setModel(model_);
  across->addWidget(table_, 2);
  plot_ = new WaitPlot(this);
  offer_picture(plot_);
  across->addWidget(plot_, 5);
  column->addLayout(across, 1);

  connect(kind_, &QComboBox::activated, this, [this] {
    offer();
    ask();
  });
  connect(of_->lineEdit(), &QLineEdit::textChanged, this, &WaitsPage::ask);
  connect(state_, &QComboBox::activated, this, &WaitsPage::ask);
  connect(plot_, &WaitPlot::picked, this, &WaitsPage::pick);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (following_ || !index.isValid()) return;
            const QVariant wait = model_->index(index.row(), From).data(RawRole + 0x100);
            if (wait.isValid()) return pick(wait.toInt());
            view_.goTo(model_->index(index.row(), From).data(RawRole).toDouble());
          });
  connect(&view_, &ViewState::captureChanged, this, &WaitsPage::takeCapture);
  connect(&session_, &Session::waitsReady, this, &WaitsPage::takeWaits);
}

QString WaitsPage::words() const { return words_->text(); }

void WaitsPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  takeCapture();
}

/// What is not seen is not worked out.
void WaitsPage::takeCapture() {
  if (!isVisible()) return;
  const CaptureViewPtr& capture = view_.capture();
  const bool other = !capture || capture->info.id != capture_;
  capture_ = capture ? capture->info.id : 0;
  const QString before = state_->currentText();
  state_->clear();
  std::set<std::string> states;
  if (capture) {
    for (const VisitFigures& f : capture->visits) {
      if (f.visit.state != kMissing && f.visit.state != kOff) states.insert(f.visit.state);
    }
  }
  for (const std::string& s : states) state_->addItem(qs(s));
  QString wanted = before;
  if (wanted.isEmpty() || state_->findText(wanted) < 0) wanted = qs(view_.pickedState());
  state_->setCurrentIndex(std::max(0, state_->findText(wanted)));
  if (other) offer();
  asked_ = {};
  ask();
}

/// Offers what this capture has of the chosen kind; what is typed stays.
void WaitsPage::offer() {
  const QString typed = of_->currentText();
  const QSignalBlocker quiet(of_->lineEdit());
  const QSignalBlocker quiet_too(of_);
  of_->clear();
  if (const CaptureViewPtr& capture = view_.capture()) {
    if (kind_->currentIndex() == Line) {
      for (const std::string& words : kinds_of_line(capture->log))
        of_->addItem(qs(book::begins_with(words)));
    } else if (kind_->currentIndex() == Mark) {
      std::set<std::string> texts;
      for (const auto& [at, text] : capture->marks) texts.insert(text);
      for (const std::string& text : texts) of_->addItem(qs(book::begins_with(text)));
    } else {
      for (const book::ChannelInfo& c : capture->info.channels) {
        if (c.quantity == Quantity::logic) of_->addItem(qs(c.name));
      }
    }
  }
  const bool has = of_->findText(typed) >= 0;
  // A logic line is one of a few; lines and marks are waited for until somebody says which.
  if (has) {
    of_->setCurrentText(typed);
  } else if (kind_->currentIndex() >= Rise && of_->count() > 0) {
    of_->setCurrentIndex(0);
  } else {
    of_->setCurrentIndex(-1);
    of_->setEditText({});
  }
  of_->lineEdit()->setPlaceholderText(kind_->currentIndex() < Rise
                                          ? tr("an expression, or choose one")
                                          : tr("no logic line in this capture"));
}

Anchor WaitsPage::anchor() const {
  Anchor out;
  out.of = of_->currentText().trimmed().toStdString();
  const int kind = kind_->currentIndex();
  out.by = kind == Line ? Anchor::By::log : kind == Mark ? Anchor::By::mark : Anchor::By::logic;
  out.rises = kind != Fall;
  return out;
}

void WaitsPage::ask() {
  const WaitsRequest request{capture_, state_->currentText().toStdString(), anchor()};
  if (request == asked_) return;
  asked_ = request;
  waits_.reset();
  if (capture_ != 0 && !request.state.empty() && !request.from.of.empty())
    return session_.requestWaits(request);
  lay();
}

void WaitsPage::takeWaits(const WaitsViewPtr& waits) {
  if (!(waits->asked == asked_)) return;
  waits_ = waits;
  lay();
}

void WaitsPage::lay() {
  following_ = true;
  model_->clear();
  model_->setHorizontalHeaderLabels({tr("from"), tr("waited")});
  const Latency latency = waits_ ? waits_->latency : Latency();
  plot_->setLatency(latency);
  struct Row {
    double at_s;
    QString text;
    QVariant length, wait;
  };
  std::vector<Row> rows;
  for (std::size_t i = 0; i < latency.waits.size(); ++i) {
    const Wait& w = latency.waits[i];
    rows.push_back({w.at_s, qs(duration(w.length_s())), w.length_s(), static_cast<int>(i)});
  }
  for (const double at : latency.missed) rows.push_back({at, tr("not entered"), {}, {}});
  for (const double at : latency.unseen) rows.push_back({at, tr("not seen"), {}, {}});
  std::sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return a.at_s < b.at_s; });
  for (const Row& r : rows) {
    auto* at = new QStandardItem(moment_text(r.at_s, 1));
    at->setData(r.at_s, RawRole);
    at->setData(r.wait, RawRole + 0x100);
    auto* waited = new QStandardItem(r.text);
    waited->setData(r.length, RawRole);
    for (QStandardItem* item : {at, waited})
      item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    model_->appendRow({at, waited});
  }
  for (const int column : {From, Waited})
    model_->setHeaderData(column, Qt::Horizontal, int(Qt::AlignRight | Qt::AlignVCenter),
                          Qt::TextAlignmentRole);
  table_->horizontalHeader()->setSectionResizeMode(Waited, QHeaderView::Stretch);
  table_->fitColumns();
  following_ = false;
  if (waits_ && !waits_->error.empty()) {
    words_->setText(qs(waits_->error));
  } else if (waits_) {
    QString sentence = qs(formats::latency_sentence(asked_.state, latency)) + QLatin1Char('.');
    sentence[0] = sentence[0].toUpper();
    words_->setText(sentence);
  } else {
    words_->setText(state_->count() == 0 ? tr("Not split into states yet.")
                                         : tr("From what, and to which state?"));
  }
  plot_->setAccessibleDescription(words_->text());
}

void WaitsPage::pick(int wait) {
  if (!waits_ || wait < 0 || wait >= static_cast<int>(waits_->latency.waits.size())) return;
  const Wait& w = waits_->latency.waits[static_cast<std::size_t>(wait)];
  plot_->setPicked(wait);
  following_ = true;
  for (int row = 0; row < model_->rowCount(); ++row) {
    const QVariant of = model_->index(row, From).data(RawRole + 0x100);
    if (!of.isValid() || of.toInt() != wait) continue;
    table_->setCurrentIndex(model_->index(row, 0));
    table_->scrollTo(model_->index(row, 0));
  }
  following_ = false;
  const double room = std::max(std::abs(w.length_s()), 0.01);
  view_.show(std::min(w.at_s, w.entered_s) - room, std::max(w.at_s, w.entered_s) + room);
  view_.pickVisit(static_cast<int>(w.visit));
}

}  // namespace kuvio::app
