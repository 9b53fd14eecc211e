// A stand-in of the HTTP client's header.
#pragma once
#include "Arduino.h"
class HTTPClient {
 public:
  void begin(const String& url) { (void)url; }
  void begin(const String& url, const char* authority) { (void)url; (void)authority; }
  void setTimeout(int ms) { (void)ms; }
  int sendRequest(const char* method, uint8_t* bytes, size_t length) { (void)method; (void)bytes; (void)length; return fake.up ? 200 : -1; }
  void addHeader(const char* name, const String& value) { (void)name; (void)value; }
  int sendRequest(const char* method, const String& body) { (void)method; (void)body; return fake.up ? 200 : -1; }
  String getString() { return String("{\"now\":1790000000000,\"accepted\":1,\"refused\":[],\"device\":\"claimed-7\",\"token\":\"moorxyz\"}"); }
  void end() {}
};
