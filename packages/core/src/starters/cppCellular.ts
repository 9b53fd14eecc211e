import { cppMqtt, cppProject, cppProgram, cppSettings, mqttSettings } from './cppProgram';
import { literal, type StarterFile, type StarterPlan } from './plan';
import { wiringFile } from './wiring';

/** The starter for boards with a cellular modem: C++ on the Arduino core, MQTT. */
export function cppCellularStarter(given: StarterPlan): StarterFile[] {
  // TLS is another thing on each modem; what such a board has, its maker knows.
  const plan = { ...given, tls: null, firmwareKey: null, httpUrl: given.httpUrl.replace(/^https:/, 'http:') };
  const program = cppProgram(plan, 'MQTT by a cellular network', {
    includes: ['TinyGsmClient.h', 'MQTT.h'],
    network: NETWORK,
    link: cppMqtt(plan),
    setup: '  modemPort.begin(MODEM_SPEED, SERIAL_8N1, MODEM_RX_PIN, MODEM_TX_PIN);\n',
  })
    .replace('#include <TinyGsmClient.h>\n', '')
    .replace(
      '#include "settings.h"\n',
      '#include "settings.h"\n#include <TinyGsmClient.h>  // after settings.h, which names the modem\n',
    );
  return [
    {
      path: 'src/settings.h',
      text: cppSettings(plan, networkSettings(plan), mqttSettings(plan)),
      generated: true,
    },
    { path: 'src/main.cpp', text: program, generated: false },
    {
      path: 'platformio.ini',
      text: cppProject(plan, ['vshymanskyy/TinyGSM@0.12.0', '256dpi/MQTT@2.5.2']),
      generated: false,
    },
    ...wiringFile(plan),
  ];
}

function networkSettings(plan: StarterPlan): string {
  const { name, user, password, pin } = plan.cellular ?? { name: '', user: '', password: '', pin: '' };
  return `#define NETWORK_NAME ${literal(name)}${name === '' ? '  // <- the access point name (APN) of your SIM card' : ''}
#define NETWORK_USER ${literal(user)}  // often empty
#define NETWORK_PASSWORD ${literal(password)}  // often empty
#define SIM_PIN ${literal(pin)}  // empty where the card asks for none

#define TINY_GSM_MODEM_SIM7000  // <- the modem on your board, by its name in the library
#define MODEM_RX_PIN 26
#define MODEM_TX_PIN 27
#define MODEM_SPEED 115200
`;
}

/** The cellular network, and the time it tells. */
const NETWORK = `HardwareSerial modemPort(1);
TinyGsm modem(modemPort);
TinyGsmClient network(modem);

String serviceHost(const char* otherwise) { return String(otherwise); }

// As the modem tells it: 0 to 31, two decibels a step, from -113 dBm on.
double radioSignal() {
  int quality = modem.getSignalQuality();
  return quality > 31 ? NAN : -113 + 2 * quality;
}

void setClock() {
  int year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0;
  float zone = 0;
  if (!modem.getNetworkTime(&year, &month, &day, &hour, &minute, &second, &zone) || year < 2024) return;
  struct tm parts = {};
  parts.tm_year = year - 1900;
  parts.tm_mon = month - 1;
  parts.tm_mday = day;
  parts.tm_hour = hour;
  parts.tm_min = minute;
  parts.tm_sec = second;
  struct timeval now = {mktime(&parts) - (time_t)(zone * 3600), 0};
  settimeofday(&now, nullptr);
}

bool networkUp() {
  if (modem.isGprsConnected()) return true;
  if (!mayTry()) return false;
  Serial.println("Modem: starting");
  modem.restart();
  if (String(SIM_PIN).length() > 0) modem.simUnlock(SIM_PIN);
  if (!modem.waitForNetwork(15000)) {
    Serial.println("Modem: no network yet. Check the antenna and the SIM card.");
    tryLater();
    return false;
  }
  if (!modem.gprsConnect(NETWORK_NAME, NETWORK_USER, NETWORK_PASSWORD)) {
    Serial.println("Modem: no data connection. Check NETWORK_NAME in settings.h.");
    tryLater();
    return false;
  }
  failed = false;
  Serial.println("Modem: connected");
  setClock();
  return true;
}
`;
