// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include <map>
#include <string>

namespace kuvio::app {

class BenchControl;

/// The wiring as one line: the output, a shunt where one is known, the device under test, with
/// what drops and is lost on the way.
class WiringView : public QWidget {
  Q_OBJECT
public:
  explicit WiringView(const BenchControl& bench, QWidget* parent = nullptr);
  /// Shunts by the channel that reads over them (Ohm).
  void setShunts(const std::map<std::string, double>& shunts);
  QSize sizeHint() const override { return {420, 58}; }

  /// What stands in the boxes, for those who cannot see it and for tests.
  struct Part {
    QString title, figures;
    bool warned = false;  ///< it drops more than a twentieth of the supply
  };
  QList<Part> parts() const;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  const BenchControl& bench_;
  std::map<std::string, double> shunts_;
};

}  // namespace kuvio::app
