// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace kuvio::app {

/// The folder of the user's documents, made where it is missing; their home where it cannot be.
QString documents_folder();

}  // namespace kuvio::app
