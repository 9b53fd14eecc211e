// A stand-in of the header for names in the local network.
#pragma once
#include "Arduino.h"
#include "WiFi.h"
struct LocalNames {
  bool begin(const char* name) { (void)name; return true; }
  IPAddress queryHost(const char* name, uint32_t ms) { (void)name; (void)ms; return IPAddress(fake.named ? 0x070200C0 : 0); }
};
static LocalNames MDNS;
