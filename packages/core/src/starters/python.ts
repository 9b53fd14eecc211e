import { claimFile, PYTHON_CLAIM, pythonIdentity } from './claim';
import {
  comment,
  controlled,
  literal,
  middle,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import { pythonFunction, smallComputerCode } from './pythonParts';
import type { Datastream } from '../readings/types';
import { wiringFile } from './wiring';

/** The starter for small computers: Python 3 with paho-mqtt (1.6 or 2). Only settings.py is generated anew. */
export function pythonStarter(plan: StarterPlan): StarterFile[] {
  return [
    { path: 'settings.py', text: settings(plan), generated: true },
    { path: 'main.py', text: program(plan), generated: false },
    {
      path: 'requirements.txt',
      text: `paho-mqtt>=1.6.1,<3\n${usesPins(plan) ? 'gpiozero>=2,<3\n' : ''}`,
      generated: false,
    },
    ...claimFile(plan, { path: 'claim.py', text: PYTHON_CLAIM, generated: true }),
    ...wiringFile(plan),
  ];
}

const known = (plan: StarterPlan): string => `DEVICE_ID = ${literal(plan.deviceId)}
DEVICE_TOKEN = ${literal(plan.token ?? TOKEN_PLACEHOLDER)}
`;

/** True where a part is on a pin of the computer. */
const usesPins = (plan: StarterPlan): boolean =>
  [...reported(plan), ...controlled(plan)].some((stream) => smallComputerCode(stream) !== null);

function settings(plan: StarterPlan): string {
  return `# Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
MQTT_HOST = ${literal(plan.host)}
MQTT_PORT = ${plan.mqttPort}
${pythonIdentity(plan) || known(plan)}FIRST_INTERVAL_S = ${plan.intervalS}  # until the service names another
`;
}

function program(plan: StarterPlan): string {
  return `"""Starter for ${comment(plan.deviceName)}: reports over MQTT, obeys what is wanted, prints what happens."""
import json
import queue
import random
import signal
import threading
import time

${usesPins(plan) ? 'import gpiozero\n' : ''}import paho.mqtt.client as mqtt

import settings

ROOT = "moor/%s/" % settings.DEVICE_ID
interval_s = settings.FIRST_INTERVAL_S
wake = threading.Event()
stop = threading.Event()
wishes = queue.Queue()


# ---- Your sensors: one function for each datastream that is reported. Return None while there is no value.
${reported(plan).map(sensor).join('\n')}

# ---- Your outputs: one function for each control. Return False when the board cannot do it.
${controlled(plan).map(output).join('\n')}

SENSORS = {${reported(plan)
    .map((stream) => `"${stream.key}": read_${stream.key}`)
    .join(', ')}}
OUTPUTS = {${controlled(plan)
    .map((stream) => `"${stream.key}": apply_${stream.key}`)
    .join(', ')}}


def on_connect(client, userdata, flags, code, *rest):
    if str(code) not in ("0", "Success"):
        print("MQTT: refused (%s). Check DEVICE_ID and DEVICE_TOKEN in settings.py." % code, flush=True)
        return
    print("MQTT: connected as %s" % settings.DEVICE_ID, flush=True)
    client.subscribe([(ROOT + "refused", 1), (ROOT + "wanted/#", 1)])
    wake.set()


def on_disconnect(client, userdata, *rest):
    print("MQTT: connection lost, trying again", flush=True)


def on_message(client, userdata, message):
    text = message.payload.decode("utf-8", "replace")
    if message.topic == ROOT + "refused":
        print("REFUSED %s" % text, flush=True)
    else:
        wishes.put((message.topic[len(ROOT + "wanted/"):], text))
        wake.set()


def obey(client, name, text):
    global interval_s
    done = False
    try:
        value = float(text)
        if name == "interval" and value >= 1:
            interval_s = value
            done = True
        if name in OUTPUTS:
            done = OUTPUTS[name](value) is not False
    except ValueError:
        pass
    print("wanted %s = %s, %s" % (name, text, "applied" if done else "not possible"), flush=True)
    if done:
        client.publish(ROOT + "applied/" + name, text, qos=1)


def report(client, number):
    values = {name: read() for name, read in SENSORS.items()}
    message = {"n": number, "at": int(time.time() * 1000)}
    message.update({name: value for name, value in values.items() if value is not None})
    text = json.dumps(message)
    sent = client.publish(ROOT + "report", text, qos=1)
    arrived = False
    try:
        sent.wait_for_publish(10)
        arrived = sent.is_published()
    except (RuntimeError, ValueError):
        pass  # not connected: it stays queued and goes out, with its own time, after the next connect
    print("#%d %s %s" % (number, "arrived" if arrived else "waits", text), flush=True)


def main():
    if hasattr(mqtt, "CallbackAPIVersion"):
        client = mqtt.Client(mqtt.CallbackAPIVersion.VERSION2, client_id=settings.DEVICE_ID)
    else:
        client = mqtt.Client(client_id=settings.DEVICE_ID)
    client.username_pw_set(settings.DEVICE_ID, settings.DEVICE_TOKEN)
    client.on_connect = on_connect
    client.on_disconnect = on_disconnect
    client.on_message = on_message
    client.reconnect_delay_set(1, 60)
    client.max_queued_messages_set(10000)
    signal.signal(signal.SIGTERM, lambda *rest: (stop.set(), wake.set()))
    signal.signal(signal.SIGINT, lambda *rest: (stop.set(), wake.set()))
    print("MQTT: connecting to %s:%d" % (settings.MQTT_HOST, settings.MQTT_PORT), flush=True)
    client.connect_async(settings.MQTT_HOST, settings.MQTT_PORT, keepalive=30)
    client.loop_start()
    number = 0
    last_report = None
    while not stop.is_set():
        while not wishes.empty():
            obey(client, *wishes.get())
        now = time.monotonic()
        if last_report is None:
            due = now if client.is_connected() else now + 1
        else:
            due = last_report + interval_s
        if now >= due:
            last_report = now
            number += 1
            report(client, number)
        wake.wait(min(1.0, max(0.05, due - now)))
        wake.clear()
    client.disconnect()
    client.loop_stop()


if __name__ == "__main__":
    main()
`;
}

function sensor(stream: Datastream): string {
  const made =
    stream.type === 'boolean'
      ? 'random.random() < 0.5'
      : stream.type === 'integer'
        ? `${middle(stream)} + random.randint(-1, 1)`
        : `round(${middle(stream)} + random.uniform(-1, 1), ${stream.decimals ?? 3})`;
  return pythonFunction(
    `def read_${stream.key}():  # ${comment(stream.title)}`,
    smallComputerCode(stream) ?? {
      beside: [],
      lines: [`return ${made}  # made up: replace by what your sensor says`],
    },
  );
}

function output(stream: Datastream): string {
  const code = smallComputerCode(stream);
  return pythonFunction(`def apply_${stream.key}(value):  # ${comment(stream.title)}`, {
    beside: code?.beside ?? [],
    lines: [
      `print("${stream.key} -> %s" % value, flush=True)${code === null ? '  # replace by what your output needs' : ''}`,
      ...(code?.lines ?? []),
      'return True',
    ],
  });
}
