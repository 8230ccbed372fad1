#include "io/write/packer.hpp"

#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <memory>
#include <string>
#include <zerobeat/base/error.hpp>

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t block = std::size_t{1} << 17;

struct Gzip {
  z_stream state{};

  Gzip() {
    constexpr int gzip_only = 16 + MAX_WBITS, memory = 9;
    if (deflateInit2(&state, Z_DEFAULT_COMPRESSION, Z_DEFLATED, gzip_only, memory,
                     Z_DEFAULT_STRATEGY) != Z_OK) {
      fail_output("there is no memory to compress the output");
    }
  }
  Gzip(const Gzip&) = delete;
  Gzip& operator=(const Gzip&) = delete;
  ~Gzip() { deflateEnd(&state); }

  void pack(std::string_view bytes, bool is_last, const PutBytes& put) {
    std::string out(block, '\0');
    do {
      const std::string_view part = bytes.substr(0, std::size_t{1} << 30);
      bytes.remove_prefix(part.size());
      state.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(part.data()));
      state.avail_in = static_cast<uInt>(part.size());
      do {
        state.next_out = reinterpret_cast<Bytef*>(out.data());
        state.avail_out = block;
        deflate(&state, is_last && bytes.empty() ? Z_FINISH : Z_NO_FLUSH);
        put(std::string_view(out.data(), block - state.avail_out));
      } while (state.avail_out == 0);
    } while (!bytes.empty());
  }
};

struct Zstandard {
  ZSTD_CCtx* state = ZSTD_createCCtx();

  Zstandard() {
    if (state == nullptr) fail_output("there is no memory to compress the output");
    ZSTD_CCtx_setParameter(state, ZSTD_c_checksumFlag, 1);
  }
  Zstandard(const Zstandard&) = delete;
  Zstandard& operator=(const Zstandard&) = delete;
  ~Zstandard() { ZSTD_freeCCtx(state); }

  void pack(std::string_view bytes, bool is_last, const PutBytes& put) {
    std::string out(block, '\0');
    ZSTD_inBuffer in{bytes.data(), bytes.size(), 0};
    for (;;) {
      ZSTD_outBuffer made{out.data(), out.size(), 0};
      const std::size_t left =
          ZSTD_compressStream2(state, &made, &in, is_last ? ZSTD_e_end : ZSTD_e_continue);
      if (ZSTD_isError(left) != 0) {
        fail_output("the output can't be compressed: {}", ZSTD_getErrorName(left));
      }
      put(std::string_view(out.data(), made.pos));
      if (is_last ? left == 0 : in.pos == in.size) return;
    }
  }
};

template <typename Own>
Pack pack_by() {
  return [own = std::make_shared<Own>()](std::string_view bytes, bool is_last,
                                         const PutBytes& put) { own->pack(bytes, is_last, put); };
}

}  // namespace

Pack packer_of(Compression compression) {
  switch (compression) {
    case Compression::gzip:
      return pack_by<Gzip>();
    case Compression::zstd:
      return pack_by<Zstandard>();
    default:
      return {};
  }
}

}  // namespace zerobeat::detail

namespace zerobeat::inline v1 {

std::string packed(std::string_view bytes, Compression compression) {
  const auto pack = detail::packer_of(compression);
  if (!pack) return std::string(bytes);
  std::string out;
  const auto put = [&](std::string_view part) { out += part; };
  pack(bytes, false, put);
  pack({}, true, put);
  return out;
}

}  // namespace zerobeat
