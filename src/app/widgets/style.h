// SPDX-License-Identifier: GPL-3.0-or-later
// Colours, font and style sheet of the window: a neutral dark surround, one moon-pale accent, one
// coral for what wants attention.
#pragma once

#include <QApplication>
#include <QColor>
#include <QIcon>

namespace tsukimi::app {

namespace colour {
inline const QColor ground{0x1b, 0x1b, 0x1c}, panel{0x24, 0x24, 0x25}, raised{0x30, 0x30, 0x31},
    line{0x3d, 0x3d, 0x3e}, text{0xe9, 0xe7, 0xe1}, quiet{0xa9, 0xa7, 0xa2},
    faint{0x6d, 0x6c, 0x69}, moon{0xf0, 0xdc, 0x9a}, coral{0xe8, 0x83, 0x6b},
    shot{0x8f, 0x8f, 0x90}, goal{0xd8, 0xd6, 0xd0};
inline const QColor channels[3] = {{0xe0, 0x8a, 0x80}, {0x93, 0xc4, 0x8e}, {0x8d, 0xab, 0xdd}};
}  // namespace colour

// One of the family in the resources; faint where it can do nothing.
QIcon family_icon(const char* name);

// Loads the shipped font and sets palette and style sheet. Call once after QApplication is made.
// text: its size in per cent of what the system asks for.
void apply_style(QApplication& application, int text = 100);

// Sizes are given for text of 12 pixels: what they are for the text that is used.
int text_px(int pixels);

}  // namespace tsukimi::app
