// SPDX-License-Identifier: GPL-3.0-or-later
// What can fail with a file or a user's input returns a Result; exceptions are for programming
// errors only. The message is a whole sentence for the user: what happened, to which file.
#pragma once

#include <exception>
#include <string>
#include <tl/expected.hpp>

namespace tsukimi {

enum class ErrorCode {
  other,
  unavailable,  // for now: away, no permission, no memory; the same may succeed in a moment
  exists,       // something is there already that is not ours to replace
  no_folder,    // that it should go into a folder that is not there
};

struct Error {
  std::string message;
  ErrorCode code = ErrorCode::other;
};

template <typename T>
using Result = tl::expected<T, Error>;

// Whether it was done, when what came of it is not wanted.
template <typename T>
Result<void> said(const Result<T>& result) {
  return result ? Result<void>() : tl::unexpected(result.error());
}

inline tl::unexpected<Error> fail(std::string message, ErrorCode code = ErrorCode::other) {
  return tl::unexpected<Error>(Error{std::move(message), code});
}

// What an exception that a library threw says, as a whole sentence that begins with `subject`
// ("harbour.tsukimi cannot be opened"): for the few places where work of others is caught.
Error error_of(const std::exception_ptr& thrown, const std::string& subject);

}  // namespace tsukimi
