// A stand-in of the HTTP client's header.
#pragma once
#include "Arduino.h"
// Where a program is waiting for the board: what is told of it, and how much of it comes before the network is cut.
struct FakeProgram {
  const char* sum = nullptr;
  const char* sign = "a5";
  long size = 10000, cutAfter = 1000000;
};
static FakeProgram fakeProgram __attribute__((unused));
struct FakeStream {
  long at = 0, count = 0;
  size_t readBytes(uint8_t* bytes, size_t most) {
    for (long i = 0; i < count && i < (long)most; i++) bytes[i] = (uint8_t)((at + i) % 7);
    return (size_t)count;
  }
};
class HTTPClient {
 public:
  String url;
  FakeStream stream;
  FakeStream* getStreamPtr() { return &stream; }
  void begin(const String& address) { url = address; }
  void begin(const String& address, const char* authority) { url = address; (void)authority; }
  void setTimeout(int ms) { (void)ms; }
  int sendRequest(const char* method, uint8_t* bytes, size_t length) { (void)method; (void)bytes; (void)length; return fake.up ? 200 : -1; }
  void addHeader(const char* name, const String& value) {
    if (String(name) == "Range") {
      stream.at = atol(value.c_str() + 6);
      stream.count = atol(value.c_str() + value.indexOf("-") + 1) - stream.at + 1;
    }
  }
  int sendRequest(const char* method, const String& body) {
    (void)method;
    if (url.indexOf("/device/firmware") >= 0 && body.length() > 0) printf("said %s\n", body.c_str());
    if (url.indexOf("/device/about") >= 0) printf("about %s\n", body.c_str());
    if (url.indexOf("/device/firmware/") >= 0) return stream.at + stream.count <= fakeProgram.cutAfter ? 206 : -1;
    return fake.up ? 200 : -1;
  }
  String getString() {
    if (url.indexOf("/device/firmware?has=1.0.0&slots=2") >= 0)
      return fakeProgram.sum == nullptr ? String("{\"version\":null}")
                                        : String("{\"version\":\"2.0.0\",\"size\":") + String((unsigned long)fakeProgram.size) +
                                              ",\"sha256\":\"" + fakeProgram.sum + "\",\"signature\":\"" + fakeProgram.sign + "\"}";
    return String("{\"now\":1790000000000,\"accepted\":1,\"refused\":[],\"device\":\"claimed-7\",\"token\":\"moorxyz\"}");
  }
  void end() {}
};
