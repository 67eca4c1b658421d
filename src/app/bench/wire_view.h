// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/station_button.h"
#include "app/style/pixels.h"

#include <QPushButton>
#include <QWidget>

namespace kuvio::app {

/// The bench as one line of current from left to right: a source, what lies in the path, the
/// device, and what hangs from it and only listens. Several outputs are a line each and join at
/// the device. Off is a gap at the switch, on is ink, unknown is dashed, silent is hatched. With
/// large text everything stands in a row of its own, under each other.
class WireView : public QWidget {
  Q_OBJECT
public:
  explicit WireView(QWidget* parent = nullptr);
  void show(const WirePlan& plan);
  const WirePlan& plan() const { return plan_; }
  /// Which station's drawer is open; "" when none is.
  void setOpen(const QString& id);
  void focusStation(const QString& id);
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override { return {400, sizeHint().height()}; }

signals:
  void stationPressed(const QString& id);
  void switchPressed(const QString& output, bool on);
  void againPressed();

protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  StationButton* stationButton(const Station& station);
  QPushButton* switchOf(const WireLine& line);
  QRect switchBox(const WireLine& line, const QRect& after) const;
  void showSwitch(const WireLine& line);
  void place();
  void placeLine(int row);
  void placeListeners();
  void placeBeside();
  void placeInWords();
  int rowHeight() const { return plan_.lines.size() > 2 ? Px{30} : Px{46}; }
  int listenersTop() const;
  void paintLine(QPainter& painter, int row) const;
  void paintListeners(QPainter& painter) const;
  void paintRail(QPainter& painter) const;
  QPen penOf(const WireLine& line) const;
  static QString says(const WireLine& line);
  void paintState(QPainter& painter, const WireLine& line, const QRect& box) const;
  void move(const QString& from, int key);
  /// Where a place in the order of Left and Right, Up and Down is: lines, then listeners.
  QList<QStringList> order() const;

  WirePlan plan_;
  QString open_;
  std::map<QString, StationButton*> stations_;
  std::map<QString, QPushButton*> switches_;  // by output
};

}  // namespace kuvio::app
