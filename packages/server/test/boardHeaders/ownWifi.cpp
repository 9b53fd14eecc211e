// Runs a starter's program on a computer without a Wi-Fi: a phone opens the board's page, and sends its form.
#include MAIN
int main() {
  setup();
  for (int turn = 0; turn < 5; turn++) loop();
  fake.phone = true;
  for (int turn = 0; turn < 5; turn++) loop();
  printf("restarts %d, kept \"%s\" \"%s\"\n%s", fake.restarts, keptValues["name"].c_str(), keptValues["password"].c_str(), setupPage.said.c_str());
  return 0;
}
