import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { balancerConfiguration } from '../src/cluster/cluster';
import { letPass } from '../src/cluster/processes';

const template = fs.readFileSync(path.resolve(__dirname, '../../../deploy/balancer.cfg'), 'utf8');

it('the balancer of a cluster on one machine is that of deploy, with addresses of its own', () => {
  const text = balancerConfiguration(template, {
    host: '127.0.0.1',
    httpPort: 5001,
    mqttPort: 5002,
    services: [
      { http: 6001, mqtt: 6101 },
      { http: 6002, mqtt: 6102 },
    ],
  });
  expect(text.match(/^ {2}(bind|server) .*$/gm)).toEqual([
    '  bind 127.0.0.1:5001',
    '  server node1 127.0.0.1:6001 port 6001',
    '  server node2 127.0.0.1:6002 port 6002',
    '  bind 127.0.0.1:5002',
    '  server node1 127.0.0.1:6101 port 6001',
    '  server node2 127.0.0.1:6102 port 6002',
  ]);
  // Everything else is as it stands there: whose a connection is, and when a node is left.
  for (const line of [
    'option forwardfor',
    'send-proxy-v2',
    'option httpchk GET /health',
    'timeout client 10m',
  ])
    expect([line, text.split(line).length]).toEqual([line, template.split(line).length]);
});

it('a folder that a demo closed lets databases of another user through, and no more', () => {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-test-'));
  for (const [before, after] of [
    [0o700, 0o701],
    [0o755, 0o755],
    [0o1777, 0o1777],
  ] as const) {
    fs.chmodSync(folder, before);
    letPass(folder);
    expect((fs.statSync(folder).mode & 0o7777).toString(8)).toBe(after.toString(8));
  }
  fs.rmdirSync(folder);
});
