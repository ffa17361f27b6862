// Text in UTF-8, looked at byte by byte.
#pragma once
#include <cstddef>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

namespace utf8 {

// How many of the next 16 bytes, from the first on, are plain: neither their high bit set nor 0.
inline int plain_ahead(const unsigned char* at) {
#if defined(__SSE2__)
  const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at));
  const int odd = _mm_movemask_epi8(_mm_cmpgt_epi8(_mm_set1_epi8(1), bytes));
  return odd == 0 ? 16 : __builtin_ctz(static_cast<unsigned>(odd));
#else
  int k = 0;
  while (k < 16 && at[k] != 0 && at[k] < 0x80) ++k;
  return k;
#endif
}

// The first byte that is not UTF-8 or that is NUL; `end` where there is none.
inline const char* odd_byte(const char* from, const char* to) {
  const unsigned char* at = reinterpret_cast<const unsigned char*>(from);
  const unsigned char* end = reinterpret_cast<const unsigned char*>(to);
  const auto place = [&] { return reinterpret_cast<const char*>(at); };
  while (at < end) {
    for (int plain = 16; plain == 16 && end - at >= 16; at += plain) plain = plain_ahead(at);
    if (at == end) break;
    const unsigned char byte = *at;
    if (byte == 0) return place();
    if (byte < 0x80) {
      ++at;
      continue;
    }
    const int more = byte >= 0xc2 && byte <= 0xdf ? 1
                   : byte >= 0xe0 && byte <= 0xef ? 2
                   : byte >= 0xf0 && byte <= 0xf4 ? 3 : 0;
    if (more == 0 || end - at <= more) return place();
    for (int i = 1; i <= more; ++i) {
      if ((at[i] & 0xc0) != 0x80) return place();
    }
    // Overlong forms, surrogates and what lies beyond the last character.
    if ((byte == 0xe0 && at[1] < 0xa0) || (byte == 0xed && at[1] > 0x9f) || (byte == 0xf0 && at[1] < 0x90) ||
        (byte == 0xf4 && at[1] > 0x8f)) {
      return place();
    }
    at += more + 1;
  }
  return to;
}

}  // namespace utf8
