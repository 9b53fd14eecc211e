import type { StarterFile } from './plan';

/** The page on which a board without a Wi-Fi asks for one; the same words in every language. */
const FORM =
  '<form method=post><h1>Which Wi-Fi?</h1><p>Name <input name=name required></p><p>Password <input name=password type=password></p><button>Keep it</button></form>';
const HEAD = "<!doctype html><meta charset=utf-8><meta name=viewport content='width=device-width'>";

/** wifi.py for a board with MicroPython. */
export const MICROPYTHON_WIFI: StarterFile = {
  path: 'wifi.py',
  generated: true,
  text: `# Which Wi-Fi: that of settings.py, or what somebody typed on the board's own page, so that no password has to stand in a program.
import binascii
import json
import socket
import time

import machine
import network

PAGE = "${HEAD}${FORM}"


def known_wifi(name, password):
    """Name and password, or None where nobody has said them yet."""
    if name:
        return name, password
    try:
        with open("wifi.json") as file:
            kept = json.load(file)
        return kept["name"], kept["password"]
    except (OSError, ValueError, KeyError):
        return None


def read_form(link):
    """What a phone sent: the fields of a form, decoded. Two kilobytes at the most."""
    text = b""
    while len(text) < 2000:
        head, mark, body = text.partition(b"\\r\\n\\r\\n")
        length = 0
        for line in head.lower().split(b"\\r\\n"):
            if line.startswith(b"content-length:"):
                length = int(line.split(b":")[1])
        if mark and len(body) >= length:
            break
        part = link.recv(500)
        if not part:
            break
        text += part
    if not text.startswith(b"POST"):
        return {}
    values = {}
    for pair in text.partition(b"\\r\\n\\r\\n")[2].split(b"&"):
        name, _, value = pair.partition(b"=")
        parts = value.replace(b"+", b" ").split(b"%")
        plain = parts[0]
        for part in parts[1:]:
            plain += bytes([int(part[:2], 16)]) + part[2:]
        values[name.decode()] = plain.decode()
    return values


class SetupPage:
    """The board's own access point, with a page that asks for the Wi-Fi and nothing else."""

    def __init__(self):
        access = network.WLAN(network.AP_IF)
        access.active(True)
        name = "board-" + binascii.hexlify(machine.unique_id()).decode()[-6:]
        access.config(essid=name)
        self.server = socket.socket()
        self.server.bind(("0.0.0.0", 80))
        self.server.listen(1)
        self.server.setblocking(False)
        print("No Wi-Fi is known. Join the Wi-Fi %s with a phone and open http://192.168.4.1" % name)

    def look(self):
        """Answers one phone, where one asks. Does not wait."""
        try:
            link = self.server.accept()[0]
        except OSError:
            return
        try:
            link.settimeout(5)
            values = read_form(link)
            name, password = values.get("name", ""), values.get("password", "")
            page = PAGE
            if name:
                with open("wifi.json", "w") as file:
                    json.dump({"name": name, "password": password}, file)
                page = "${HEAD}<p>Kept. The board starts again and joins it."
            link.send(("HTTP/1.0 200 OK\\r\\nContent-Type: text/html\\r\\nConnection: close\\r\\n\\r\\n" + page).encode())
            if name:
                print("Wi-Fi: kept, starting again")
                time.sleep_ms(500)
                machine.reset()
        except Exception as error:  # whatever a phone sends, the page stays
            print("page:", error)
        finally:
            link.close()
`,
};

/** Parts of a C++ program: includes, and what stands ahead of networkUp(). */
export const CPP_OWN_WIFI = {
  includes: ['Preferences.h', 'WebServer.h'],
  code: `// Which Wi-Fi: that of settings.h, or what somebody typed on the board's own page.
String wifiName = WIFI_NAME, wifiPassword = WIFI_PASSWORD;
WebServer setupPage(80);
void keepWifi() {
  if (setupPage.arg("name").length() == 0) {
    setupPage.send(200, "text/html", "${HEAD}${FORM}");
    return;
  }
  Preferences kept;
  kept.begin("wifi", false);
  kept.putString("name", setupPage.arg("name"));
  kept.putString("password", setupPage.arg("password"));
  kept.end();
  setupPage.send(200, "text/html", "${HEAD}<p>Kept. The board starts again and joins it.");
  Serial.println("Wi-Fi: kept, starting again");
  delay(500);
  ESP.restart();
}
// True where a Wi-Fi is known; otherwise the board is an access point of its own, and asks for one on a page.
bool wifiKnown() {
  static bool asked = false;
  if (wifiName.length() > 0) return true;
  if (!asked) {
    asked = true;
    Preferences kept;
    kept.begin("wifi", false);
    wifiName = kept.getString("name", "");
    wifiPassword = kept.getString("password", "");
    kept.end();
    if (wifiName.length() > 0) return true;
    String own = String("board-") + WiFi.macAddress().substring(9, 11) + WiFi.macAddress().substring(12, 14) + WiFi.macAddress().substring(15, 17);
    WiFi.softAP(own.c_str());
    setupPage.on("/", keepWifi);
    setupPage.begin();
    Serial.println(String("No Wi-Fi is known. Join the Wi-Fi ") + own + " with a phone and open http://192.168.4.1");
  }
  setupPage.handleClient();
  return false;
}

`,
};
