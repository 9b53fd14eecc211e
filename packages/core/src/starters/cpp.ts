import { CPP_MQTT, CPP_WIFI, cppProgram, cppSettings, mqttSettings, wifiSettings } from './cppProgram';
import type { StarterFile, StarterPlan } from './plan';
import { wiringFile } from './wiring';

/** The starter for Wi-Fi boards: C++ on the Arduino core, MQTT. Only settings and wiring list are generated anew. */
export function cppStarter(plan: StarterPlan): StarterFile[] {
  const program = cppProgram(plan, 'MQTT', {
    includes: ['MQTT.h', 'WiFi.h'],
    network: `WiFiClient network;\n${CPP_WIFI}`,
    link: CPP_MQTT,
    setup: '',
  });
  return [
    {
      path: 'src/settings.h',
      text: cppSettings(plan, wifiSettings(plan), mqttSettings(plan)),
      generated: true,
    },
    { path: 'src/main.cpp', text: program, generated: false },
    { path: 'platformio.ini', text: PROJECT, generated: false },
    ...wiringFile(plan),
  ];
}

const PROJECT = `; Library and serial speed are fixed here, so that it builds the same next year.
[env:board]
platform = espressif32@6.9.0
board = esp32dev
framework = arduino
monitor_speed = 115200
lib_deps = 256dpi/MQTT@2.5.2
`;
