// SPDX-License-Identifier: Apache-2.0
// Keeps what could command a terminal out of a stream: control characters, and marks that turn the
// direction of text, are written as \\x1b or \\u202e.
//
//   const VisibleOnly guard(std::cout);     // until it goes
#pragma once

#include <cstdio>
#include <ostream>
#include <streambuf>
#include <string>
#include <utility>

namespace brace::app {

class VisibleOnly : private std::streambuf {
 public:
  explicit VisibleOnly(std::ostream& stream) : stream_(stream), target_(stream.rdbuf(this)) {}
  ~VisibleOnly() override {
    write_held();
    stream_.rdbuf(target_);
  }
  VisibleOnly(const VisibleOnly&) = delete;
  VisibleOnly& operator=(const VisibleOnly&) = delete;

 private:
  using Byte = unsigned char;

  int_type overflow(int_type c) override {
    if (traits_type::eq_int_type(c, traits_type::eof())) return traits_type::not_eof(c);
    const auto byte = static_cast<Byte>(c);
    if (held_.empty() && (byte == 0xc2 || byte == 0xe2)) {  // may begin a hidden mark
      held_ += static_cast<char>(byte);
      return c;
    }
    if (!held_.empty()) {
      held_ += static_cast<char>(byte);
      if (held_.size() < length_of(static_cast<Byte>(held_[0]))) return c;
      return write_held() ? c : traits_type::eof();
    }
    return put(byte) ? c : traits_type::eof();
  }

  std::streamsize xsputn(const char* text, std::streamsize count) override {
    for (std::streamsize i = 0; i < count; ++i)
      if (traits_type::eq_int_type(overflow(static_cast<Byte>(text[i])), traits_type::eof()))
        return i;
    return count;
  }

  int sync() override {
    write_held();
    return target_->pubsync();
  }

  static std::size_t length_of(Byte first) { return first == 0xc2 ? 2 : 3; }

  bool put(Byte byte) {
    if ((byte >= 0x20 && byte != 0x7f) || byte == '\n' || byte == '\t')
      return target_->sputc(static_cast<char>(byte)) != traits_type::eof();
    char code[8];
    std::snprintf(code, sizeof code, "\\x%02x", byte);
    return target_->sputn(code, 4) == 4;
  }

  // A sign of two or three bytes: as a code where it is a control character or turns direction.
  bool write_held() {
    if (held_.empty()) return true;
    const std::string sign = std::exchange(held_, {});
    const auto at = [&](std::size_t i) {
      return i < sign.size() ? static_cast<unsigned>(static_cast<Byte>(sign[i])) : 0U;
    };
    const unsigned code =
        at(0) == 0xc2 ? at(1) : ((at(0) & 0x0f) << 12) | ((at(1) & 0x3f) << 6) | (at(2) & 0x3f);
    const bool hidden = (at(0) == 0xc2 && code >= 0x80 && code < 0xa0) ||
                        (code >= 0x200b && code <= 0x200f) || (code >= 0x202a && code <= 0x202e) ||
                        (code >= 0x2066 && code <= 0x2069);
    if (!hidden || sign.size() < length_of(static_cast<Byte>(sign[0])))
      return target_->sputn(sign.data(), static_cast<std::streamsize>(sign.size())) ==
             static_cast<std::streamsize>(sign.size());
    char text[8];
    std::snprintf(text, sizeof text, "\\u%04x", code);
    return target_->sputn(text, 6) == 6;
  }

  std::ostream& stream_;
  std::streambuf* target_;
  std::string held_;  // the beginning of a sign that may be hidden
};

}  // namespace brace::app
