// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers as they stand on screen: a true minus, and a plus where below zero there is something
// too.
#pragma once

#include <QString>

#include "adjust/parameters.h"

namespace tsukimi::app {

QString number_text(double value, int decimals, bool with_sign);
QString value_text(Param p, double value);  // with its unit

// The words of the table of parameters (and of what else the core says), in the user's language.
QString words_of(const char* of_the_core);
QString label_of(Param p);

}  // namespace tsukimi::app
