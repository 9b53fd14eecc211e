// A stand-in of the header for sleeping.
#pragma once
#include <cstdint>
inline void esp_deep_sleep(uint64_t us) { (void)us; }
