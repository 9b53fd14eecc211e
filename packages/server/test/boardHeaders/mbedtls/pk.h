// A stand-in: a key that takes one signature, of the letters a5.
#pragma once
#include <stddef.h>
struct mbedtls_pk_context {};
inline void mbedtls_pk_init(mbedtls_pk_context*) {}
inline void mbedtls_pk_free(mbedtls_pk_context*) {}
inline int mbedtls_pk_parse_public_key(mbedtls_pk_context*, const unsigned char* key, size_t length) { return key[length - 1] == 0 ? 0 : -1; }
inline int mbedtls_pk_verify(mbedtls_pk_context*, int, const unsigned char*, size_t, const unsigned char* sign, size_t length) {
  return length == 1 && sign[0] == 0xa5 ? 0 : -1;
}
