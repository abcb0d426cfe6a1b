// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/result.h"

#include <filesystem>
#include <new>

namespace tsukimi {

Error error_of(const std::exception_ptr& thrown, const std::string& subject) {
  std::string why = "of something unexpected";
  try {
    std::rethrow_exception(thrown);
  } catch (const std::bad_alloc&) {
    return {subject + ": there is not enough memory.", ErrorCode::unavailable};
  } catch (const std::filesystem::filesystem_error& e) {
    why = (e.path1().empty() ? "" : e.path1().string() + ": ") + e.code().message();
  } catch (const std::exception& e) {
    why = e.what();
  } catch (...) {
  }
  return {subject + " (" + why + ").", ErrorCode::other};
}

}  // namespace tsukimi
