// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/picture_fit.h"

#include <algorithm>
#include <cmath>

#include "document/framing/output_size.h"

namespace tsukimi::app {

Placement PictureFit::visible() const {
  if (whole) return Rect{};
  const FramingCourse& framing = session.document.courses().framing;
  const Moment now = session.playhead.moment();
  const Size film = output_size(session.document.shoot(), framing);
  return now.film >= 0 ? framing.film(now.film, now.frame, film) : framing.film(now.frame, film);
}

QSizeF PictureFit::size() const {
  const Shoot& shoot = session.document.shoot();
  const Size all =
      whole ? shoot.sequence.size : output_size(shoot, session.document.courses().framing);
  const double w = all.width, h = all.height;
  const double fits =
      std::min((widget.width() - 2 * margin) / w, (widget.height() - 2 * margin) / h);
  // Whole pixels: then the picture, made in that size, is drawn as it is.
  return {std::round(w * fits), std::round(h * fits)};
}

Size PictureFit::natural() const {
  const Shoot& shoot = session.document.shoot();
  if (whole) return natural_size(shoot.sequence.size, Rect{});
  const FramingCourse& framing = session.document.courses().framing;
  return framing.smallest(output_size(shoot, framing));
}

QSize PictureFit::finished_pixels(const Zoom& zoom) const {
  const double seen = std::min(1.0, zoom.fits() ? scale() : zoom.scale);
  if (zoom.fits() && seen < 1) return pixels();
  const Size all = natural();
  return {static_cast<int>(std::lround(all.width * seen)),
          static_cast<int>(std::lround(all.height * seen))};
}

Canvas PictureFit::canvas(const Zoom& zoom) const {
  QSizeF seen = size();
  QPointF centre(widget.width() / 2.0, widget.height() / 2.0);
  if (!zoom.fits()) {
    const Size all = natural();
    seen = QSizeF(std::round(all.width * zoom.scale), std::round(all.height * zoom.scale)) / ratio;
    centre -=
        QPointF((zoom.centre.x() - 0.5) * seen.width(), (zoom.centre.y() - 0.5) * seen.height());
  }
  return {{QPointF(std::floor(centre.x() - seen.width() / 2),
                   std::floor(centre.y() - seen.height() / 2)),
           seen},
          visible(),
          session.document.is_open() ? aspect_of(session.document.shoot()) : 1};
}

}  // namespace tsukimi::app
