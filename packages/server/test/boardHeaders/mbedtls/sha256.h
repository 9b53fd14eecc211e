// A stand-in: the sum of all bytes, in each of its 32.
#pragma once
#include <stddef.h>
struct mbedtls_sha256_context { unsigned char sum; };
inline void mbedtls_sha256_init(mbedtls_sha256_context* hash) { hash->sum = 0; }
inline void mbedtls_sha256_free(mbedtls_sha256_context*) {}
inline int mbedtls_sha256_starts(mbedtls_sha256_context*, int) { return 0; }
inline int mbedtls_sha256_update(mbedtls_sha256_context* hash, const unsigned char* bytes, size_t count) {
  for (size_t i = 0; i < count; i++) hash->sum = (unsigned char)(hash->sum + bytes[i]);
  return 0;
}
inline int mbedtls_sha256_finish(mbedtls_sha256_context* hash, unsigned char* out) {
  for (int i = 0; i < 32; i++) out[i] = hash->sum;
  return 0;
}
