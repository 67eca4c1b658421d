// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/ticks.h"
#include "app/trace/lanes.h"

#include <QLabel>
#include <QPointer>
#include <QTimer>

class QComboBox;

namespace kuvio::app {

/// How the current of the span (or of what is seen) is spread over its values: bars on the lane's
/// own value axis, beside it where it is tall enough to be read, and the share that lies below each
/// value.
class SpreadBars : public QWidget {
  Q_OBJECT
public:
  SpreadBars(const Lanes& lanes, QWidget* parent);
  void setSpread(SpreadViewPtr spread);
  void setByCharge(bool on);
  void setLogarithmic(bool on);
  /// Stands beside its lane, on the lane's own pixels, where that is tall enough to be read and
  /// leaves room for what is under it.
  bool standBeside(int room_px, int under_px);
  /// Whether it does.
  bool beside() const { return beside_; }
  /// Its height where it stands beside its lane, with the foot.
  int foot() const;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  QRectF box() const;
  std::vector<Tick> ticks() const;
  double part(double value) const;
  void paintFoot(QPainter& painter, const QRectF& area, double least, double most) const;
  const Lanes& lanes_;
  SpreadViewPtr spread_;
  bool by_charge_ = false, logarithmic_ = true, beside_ = false;
};

/// The margin's page with the distribution, its quantiles and the ripple.
class SpreadMargin : public QWidget {
  Q_OBJECT
public:
  SpreadMargin(ViewState& view, Session& session, Lanes& lanes, QWidget* parent = nullptr);
  const SpreadViewPtr& spread() const { return spread_; }
  /// Bins, shares and charges, for a table.
  QString table() const;
  QString words() const { return words_->text(); }

protected:
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  void ask();
  void take(const SpreadViewPtr& spread);
  void place();

  ViewState& view_;
  Session& session_;
  QPointer<Session> alive_;  // a window that goes hides its parts after what they ask has gone
  Lanes& lanes_;
  SpreadBars* bars_;
  QComboBox *by_, *scale_;
  QLabel* words_;
  QTimer soon_;
  SpreadViewPtr spread_;
};

}  // namespace kuvio::app
