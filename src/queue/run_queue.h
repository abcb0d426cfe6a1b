// SPDX-License-Identifier: GPL-3.0-or-later
// Works on the queue, one job after the other.
#pragma once

#include "queue/queue.h"

namespace tsukimi {

struct QueueEnd {
  int done = 0, failed = 0, left = 0;  // jobs; left: paused or cancelled meanwhile
};

// Until nothing waits any more, or `work` is cancelled: then the job that runs waits again. Jobs
// that are paused or cancelled meanwhile, by whoever, end in good order. Fails when another is at
// it (ErrorCode::exists).
Result<QueueEnd> run_queue(const Queue& queue, const Work& work);

}  // namespace tsukimi
