// A stand-in.
#pragma once
#define MBEDTLS_MD_SHA256 6
