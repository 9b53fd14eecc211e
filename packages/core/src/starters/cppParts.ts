import type { Datastream } from '../readings/types';
import { showUnit } from '../readings/units';
import { comment, middle, pascal } from './plan';

/** Decimals with which a value is printed into JSON. */
export function cppDecimals(stream: Datastream): number {
  return stream.type === 'number' ? (stream.decimals ?? 3) : 0;
}

/** The function of a datastream that is reported, with a made-up value until its maker puts the sensor in. */
export function cppSensor(stream: Datastream): string {
  const unit = showUnit(stream.unit).replace(/[^\x20-\x7e]/g, '') || 'no unit';
  const made = stream.type === 'boolean' ? 'random(0, 2)' : `${middle(stream)} + random(-100, 101) / 100.0`;
  const value = stream.type === 'integer' ? `(long)(${made})` : made;
  return `double read${pascal(stream.key)}() {  // ${comment(stream.title)}, ${unit}
  return ${value};  // made up: replace by what your sensor says
}
`;
}

/** The function of a control. */
export function cppOutput(stream: Datastream): string {
  return `bool apply${pascal(stream.key)}(double value) {  // ${comment(stream.title)}
  Serial.println(String("${stream.key} -> ") + String(value));  // replace by what your output needs
  return true;
}
`;
}
