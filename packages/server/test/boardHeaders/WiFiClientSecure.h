// A stand-in of the header for TLS.
#pragma once
#include "WiFi.h"
class WiFiClientSecure : public WiFiClient {
 public:
  void setCACert(const char* authority) { (void)authority; }
};
