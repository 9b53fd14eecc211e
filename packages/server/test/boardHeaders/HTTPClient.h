// A stand-in of the HTTP client's header.
#pragma once
#include "Arduino.h"
class HTTPClient {
 public:
  void begin(const String& url) { (void)url; }
  void addHeader(const char* name, const String& value) { (void)name; (void)value; }
  int sendRequest(const char* method, const String& body) { (void)method; (void)body; return fake.up ? 200 : -1; }
  String getString() { return String("{\"accepted\":1,\"refused\":[],\"device\":\"claimed-7\",\"token\":\"moorxyz\"}"); }
  void end() {}
};
