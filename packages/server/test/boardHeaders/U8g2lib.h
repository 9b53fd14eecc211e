// A stand-in of the header of the library for displays of pixels.
#pragma once
#include "Arduino.h"
#define U8G2_R0 0
#define U8X8_PIN_NONE 255
static const uint8_t u8g2_font_7x13_tf[] = {0};
struct U8G2_SSD1306_128X64_NONAME_F_HW_I2C {
  U8G2_SSD1306_128X64_NONAME_F_HW_I2C(int turn, int reset, int clock, int data) { (void)turn; (void)reset; (void)clock; (void)data; }
  void begin() {}
  void setFont(const uint8_t* font) { (void)font; }
  void clearBuffer() {}
  void drawUTF8(int x, int y, const char* text) { (void)x; (void)y; (void)text; }
  void sendBuffer() {}
};
