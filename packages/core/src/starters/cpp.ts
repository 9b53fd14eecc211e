import {
  CPP_WIFI,
  cppMqtt,
  cppProject,
  cppProgram,
  cppSettings,
  mqttSettings,
  WIFI_INCLUDES,
  wifiSettings,
} from './cppProgram';
import type { StarterFile, StarterPlan } from './plan';
import { wiringFile } from './wiring';

/** The starter for Wi-Fi boards: C++ on the Arduino core, MQTT. Only settings and wiring list are generated anew. */
export function cppStarter(plan: StarterPlan): StarterFile[] {
  const program = cppProgram(plan, 'MQTT', {
    includes: ['MQTT.h', ...WIFI_INCLUDES],
    network: `WiFiClient network;\n${CPP_WIFI}`,
    link: cppMqtt(plan),
    setup: '',
  });
  return [
    {
      path: 'src/settings.h',
      text: cppSettings(plan, wifiSettings(plan), mqttSettings(plan)),
      generated: true,
    },
    { path: 'src/main.cpp', text: program, generated: false },
    { path: 'platformio.ini', text: cppProject(plan, ['256dpi/MQTT@2.5.2']), generated: false },
    ...wiringFile(plan),
  ];
}
