// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/keyed_ruler.h"

#include "app/convert/value_text.h"
#include "document/values.h"

namespace tsukimi::app {
namespace {

Ruler::Spec spec_of(Param id, const QString& label) {
  const auto& p = info(id);
  return {p.name,    label.isEmpty() ? label_of(id) : label,
          p.unit,    words_of(p.tip),
          p.min,     p.max,
          p.preset,  p.step,
          p.decimals};
}

}  // namespace

KeyedRuler::KeyedRuler(Session& session, Param param, std::function<Setting()> of,
                       const QString& label)
    : Ruler(spec_of(param, label)), session_(session), param_(param), of_(std::move(of)) {
  connect(this, &Ruler::edited, this, [this](double v, int drag) {
    session_.look.set_value(of_(), v, QString("%1 %2").arg(info(param_).name).arg(drag));
  });
  connect(this, &Ruler::frame_clicked, &session_.playhead, &Playhead::set_frame);
  connect(this, &Ruler::key_edited, this, [this](int frame, double v, int drag) {
    session_.document.edit(
        tr("Set %1").arg(label_of(param_).toLower()),
        [&](Shoot& s) { tsukimi::set_value(s, of_(), frame, v); },
        tr("key frame %1 of %2, drag %3").arg(frame).arg(info(param_).name).arg(drag));
  });
}

void KeyedRuler::show(const std::function<double(int)>& value,
                      const std::vector<std::pair<int, Easing>>& keys, bool stale) {
  if (stale) {
    Ruler::Course c;
    c.keys = keys;
    for (int i = 0; i < session_.document.shoot().frame_count(); ++i) c.values.push_back(value(i));
    set_course(std::move(c));
  }
  const int frame = session_.playhead.frame();
  set_playhead(frame);
  set_value(value(frame));
}

}  // namespace tsukimi::app
