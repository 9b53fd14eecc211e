// Runs a starter's program on a computer with parts on its pins that say what their data sheets have as examples.
#include MAIN
int main() {
  keptValues["name"] = "moss";
  Wire.says[0x23] = {0x83, 0x90};
  Wire.says[0x62] = {0x01, 0xf4, 0x33, 0x66, 0x67, 0xa2, 0x5e, 0xb9, 0x3c};
  Wire.says[0x40] = {0x5d, 0x98};
  Wire.says[0x27] = {};
  serialOne.answersAfter = 0x79;
  serialOne.answer = std::string("\x00\xff\x86\x02\x60\x47\x00\x00\x00\xd1", 10);
  serialTwo.says = "$GPGGA,123519,4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,*47\r\n";
  fake.named = true;
  setup();
  for (int turn = 0; turn < 50; turn++) loop();
  obey("display", "Moss 12 mm");
  printf("clock %d, display was told %d bytes, serial %d\n", fake.clockSet, (int)Wire.written.size(), (int)serialOne.written.size());
  return 0;
}
