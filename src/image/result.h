// What can fail with a file or a user's input returns a Result; exceptions are for programming
// errors only. The message is a whole sentence for the user: what happened, to which file.
#pragma once

#include <string>
#include <tl/expected.hpp>

namespace tsukimi {

struct Error {
  std::string message;
};

template <typename T>
using Result = tl::expected<T, Error>;

inline tl::unexpected<Error> fail(std::string message) {
  return tl::unexpected<Error>(Error{std::move(message)});
}

}  // namespace tsukimi
