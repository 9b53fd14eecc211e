import { claimFile, PYTHON_CLAIM, pythonIdentity } from './claim';
import {
  authorityFile,
  authorityOf,
  comment,
  controlled,
  literal,
  madeUp,
  pictured,
  portOf,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import { pythonHandlers, pythonTable, pythonWanted, type PythonHandlers } from './functions';
import { computerCodes } from './ways/index';
import type { Datastream } from '../readings/types';
import { keepLiteral, keeps, PYTHON_APPLY, PYTHON_KEEP, PYTHON_TELL } from './keeping';
import { wiringFile } from './wiring';

/** The starter for small computers: Python 3 with paho-mqtt (1.6 or 2). Only settings.py is generated anew. */
export function pythonStarter(plan: StarterPlan): StarterFile[] {
  const handlers = pythonHandlers(plan, {
    codes: computerCodes(plan.streams),
    print: (text) => `print(${text}, flush=True)`,
    number: madeUpNumber,
  });
  return [
    { path: 'settings.py', text: settings(plan), generated: true },
    { path: 'main.py', text: program(plan, handlers), generated: false },
    {
      path: 'requirements.txt',
      text: `paho-mqtt>=1.6.1,<3\n${handlers.imports.includes('gpiozero') ? 'gpiozero>=2,<3\n' : ''}`,
      generated: false,
    },
    ...(keeps(plan) ? [PYTHON_KEEP] : []),
    ...authorityFile(plan),
    ...claimFile(plan, { path: 'claim.py', text: PYTHON_CLAIM, generated: true }),
    ...wiringFile(plan),
  ];
}

const known = (plan: StarterPlan): string => `DEVICE_ID = ${literal(plan.deviceId)}
DEVICE_TOKEN = ${literal(plan.token ?? TOKEN_PLACEHOLDER)}
`;

function settings(plan: StarterPlan): string {
  const trusted =
    authorityOf(plan) === ''
      ? ''
      : `import os

# The service's own authority is trusted, and no other.
os.environ["SSL_CERT_FILE"] = os.path.join(os.path.dirname(os.path.abspath(__file__)), "authority.crt")
`;
  return `# Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
${trusted}MQTT_HOST = ${literal(plan.host)}
MQTT_PORT = ${portOf(plan)}
MQTT_TLS = ${plan.tls ? 'True' : 'False'}
SERVICE_NAME = ${literal(plan.localName ?? '')}  # its name in the local network, tried first; empty for none
${pythonIdentity(plan) || known(plan)}FIRST_INTERVAL_S = ${plan.intervalS}  # until the service names another
${keeps(plan) ? `KEEP = ${keepLiteral(plan)}  # what it keeps by itself, until the service says otherwise\n` : ''}`;
}

const ALWAYS = ['json', 'os', 'queue', 'random', 'signal', 'socket', 'ssl', 'threading', 'time'];

function program(plan: StarterPlan, handlers: PythonHandlers): string {
  const own = handlers.imports.filter((name) => name !== 'gpiozero');
  const images = pictured(plan);
  return `"""Starter for ${comment(plan.deviceName)}: reports over MQTT, obeys what is wanted, prints what happens."""
${[...new Set([...ALWAYS, ...own])]
  .sort()
  .map((name) => `import ${name}\n`)
  .join('')}
${handlers.imports.includes('gpiozero') ? 'import gpiozero\n' : ''}import paho.mqtt.client as mqtt

${keeps(plan) ? 'import keep\n' : ''}import settings

ROOT = "moor/%s/" % settings.DEVICE_ID
interval_s = settings.FIRST_INTERVAL_S
wake = threading.Event()
stop = threading.Event()
wishes = queue.Queue()


def nothing(name, why):
    """Says why there is no value; the report goes without it."""
    print("%s: %s" % (name, why), flush=True)

${handlers.support}
# ---- Your sensors: one function for each datastream that is reported. Return None while there is no value.
${handlers.sensors}
${images.map(({ key, title }) => `def take_${key}():  # ${comment(title)}\n    return None  # replace by the bytes of a JPEG, PNG or WebP, 512 KB at the most\n\n\n`).join('')}
# ---- Your outputs: one function for each control. Return False when the board cannot do it.
${handlers.outputs}

${pythonTable('SENSORS', reported(plan), 'read')}
${pythonTable('OUTPUTS', controlled(plan), 'apply')}
${pythonTable('IMAGES', images, 'take')}
${pythonWanted(plan)}


${keeps(plan) ? PYTHON_TELL : ''}def on_connect(client, userdata, flags, code, *rest):
    if str(code) not in ("0", "Success"):
        print("MQTT: refused (%s). Check DEVICE_ID and DEVICE_TOKEN in settings.py." % code, flush=True)
        return
    print("MQTT: connected as %s" % settings.DEVICE_ID, flush=True)
    client.subscribe([(ROOT + "refused", 1), (ROOT + "wanted/#", 1)])
${keeps(plan) ? '    tell_kept(client)\n' : ''}    wake.set()


def on_disconnect(client, userdata, *rest):
    print("MQTT: connection lost, trying again", flush=True)


def on_message(client, userdata, message):
    text = message.payload.decode("utf-8", "replace")
    if message.topic == ROOT + "refused":
        print("REFUSED %s" % text, flush=True)
    else:
        wishes.put((message.topic[len(ROOT + "wanted/"):], text))
        wake.set()


${keeps(plan) ? PYTHON_APPLY('flush=True') : ''}def obey(client, name, text):
    global interval_s
    done = False
${
  keeps(plan)
    ? `    if name == "_keep":
        keeper.take(text)
        return tell_kept(client)
    if not keeper.may(name, text):
        print("wanted %s = %s: it rests, not done" % (name, text), flush=True)
        return None
`
    : ''
}    try:
        if name == "interval" and float(text) >= 1:
            interval_s = float(text)
            done = True
${keeps(plan) ? '        if name in OUTPUTS:\n            done = apply(name, text)\n            if done:\n                keeper.was(name, text)\n' : ''}    except Exception as error:  # whatever an output does, the program goes on
        print("%s: %s" % (name, error), flush=True)
    print("wanted %s = %s, %s" % (name, text, "applied" if done else "not possible"), flush=True)
    if done:
        client.publish(ROOT + "applied/" + name, text, qos=1)


def measured(name, read):
    try:
        return read()
    except Exception as error:  # whatever a sensor does, the others are told
        return nothing(name, error)


def service_host():
    """By its name in the local network, where that is known: a router may give it another address tomorrow."""
    try:
        if settings.SERVICE_NAME:
            socket.create_connection((settings.SERVICE_NAME, settings.MQTT_PORT), 3).close()
            return settings.SERVICE_NAME
    except OSError:
        pass
    return settings.MQTT_HOST


def report(client, number):
    values = {name: measured(name, read) for name, read in SENSORS.items()}
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
    for name, take in IMAGES.items():
        data = measured(name, take)
        if data:
            client.publish(ROOT + "report/" + name, data, qos=1)
    print("#%d %s %s" % (number, "arrived" if arrived else "waits", text), flush=True)


def main():
    if hasattr(mqtt, "CallbackAPIVersion"):
        client = mqtt.Client(mqtt.CallbackAPIVersion.VERSION2, client_id=settings.DEVICE_ID)
    else:
        client = mqtt.Client(client_id=settings.DEVICE_ID)
    if getattr(settings, "MQTT_TLS", False):
        client.tls_set_context(ssl.create_default_context())
    client.username_pw_set(settings.DEVICE_ID, settings.DEVICE_TOKEN)
    client.on_connect = on_connect
    client.on_disconnect = on_disconnect
    client.on_message = on_message
    client.reconnect_delay_set(1, 60)
    client.max_queued_messages_set(10000)
    signal.signal(signal.SIGTERM, lambda *rest: (stop.set(), wake.set()))
    signal.signal(signal.SIGINT, lambda *rest: (stop.set(), wake.set()))
    host = service_host()
    print("MQTT: connecting to %s:%d" % (host, settings.MQTT_PORT), flush=True)
    client.connect_async(host, settings.MQTT_PORT, keepalive=30)
    client.loop_start()
    number = 0
    last_report = None
    while not stop.is_set():
        while not wishes.empty():
            obey(client, *wishes.get())
${
  keeps(plan)
    ? `        if client.is_connected():
            keeper.heard()
        for name, text in keeper.look().items():
            client.publish(ROOT + "applied/" + name, text, qos=1)
`
    : ''
}        now = time.monotonic()
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

function madeUpNumber(stream: Datastream): string {
  const { middle, spread } = madeUp(stream);
  if (stream.type === 'boolean') return 'time.time() // 60 % 2 == 0';
  return stream.type === 'integer'
    ? `${middle} + random.randint(-${spread}, ${spread})`
    : `round(${middle} + random.uniform(-${spread}, ${spread}), ${stream.decimals ?? 3})`;
}
