import { counted } from '../words';
import { isControllable, type Datastream } from '../readings/types';
import {
  WIDGET_TYPES,
  WIDGETS,
  type OptionFacts,
  type OptionValue,
  type WidgetType,
  type WrongOption,
} from './widgets';

/** Where a widget takes its value: a datastream of a device, or of the chosen device (null). */
export interface WidgetSource {
  device: string | null;
  stream: string;
}

/** A place on the wide arrangement: twelve columns, rows of equal height. */
export interface Place {
  x: number;
  y: number;
  w: number;
  h: number;
}

/** How a widget stands on the phone where its maker says so; what is left out is as it follows from the wide arrangement. */
export interface PhonePlace {
  /** Its place from the top, from 0. */
  order?: number | undefined;
  hidden?: boolean | undefined;
  /** Over the full width, or half of it beside another. */
  width?: 'full' | 'half' | undefined;
  /** Height in px. */
  height?: number | undefined;
}

export interface Widget extends Place {
  /** Unique within its dashboard. */
  id: string;
  type: WidgetType;
  /** Shown above the widget; empty shows the datastream's title. */
  title: string;
  sources: WidgetSource[];
  /** What its maker chose, by the names that its sort declares; what is left out is as usual. */
  options: Record<string, OptionValue>;
  /** The page of the dashboard it is on, from 0; the first where nothing is said. */
  page?: number | undefined;
  phone?: PhonePlace | undefined;
}

/** True where a widget of this type can show, or steer, this datastream. */
export function widgetFits(
  type: WidgetType,
  stream: Pick<Datastream, 'type' | 'direction'> & Partial<Pick<Datastream, 'holds'>>,
): boolean {
  const sort = WIDGETS[type];
  return (
    sort.takes.includes(stream.type) &&
    (!sort.controls || isControllable(stream)) &&
    (sort.holds === undefined || sort.holds === (stream.holds ?? 'lasting'))
  );
}

/** The widget types that fit a datastream, the most telling first. */
export function widgetsFor(
  stream: Pick<Datastream, 'type' | 'direction' | 'min' | 'max'> & Partial<Pick<Datastream, 'holds'>>,
): WidgetType[] {
  return WIDGET_TYPES.filter((type) => widgetFits(type, stream)).sort(
    (a, b) => WIDGETS[b].liking(stream) - WIDGETS[a].liking(stream),
  );
}

/** An option of a widget: what was chosen, or the usual. */
export function optionOf(widget: Pick<Widget, 'type' | 'options'>, name: string): OptionValue {
  return widget.options[name] ?? WIDGETS[widget.type].options[name]?.usual ?? null;
}

/** The same for an option that is a number; null for none. */
export function numberOption(widget: Pick<Widget, 'type' | 'options'>, name: string): number | null {
  const value = optionOf(widget, name);
  return typeof value === 'number' ? value : null;
}

/** What is wrong with the options of a widget; null where nothing is. */
export function checkOptions(
  type: WidgetType,
  options: Readonly<Record<string, unknown>>,
): WrongOption | null {
  const sort = WIDGETS[type];
  for (const [option, value] of Object.entries(options)) {
    const facts = Object.hasOwn(sort.options, option) ? sort.options[option] : undefined;
    if (facts === undefined)
      return {
        option,
        reason: `is not an option of a ${sort.title.toLowerCase()}`,
        remedy: `It has ${Object.keys(sort.options).join(', ') || 'none'}.`,
      };
    const wrong = wrongValue(facts, value);
    if (wrong !== null) return { option, ...wrong };
  }
  return sort.check?.(options as Record<string, OptionValue>) ?? null;
}

function wrongValue(facts: OptionFacts, value: unknown): { reason: string; remedy: string } | null {
  if (value === null) return null;
  switch (facts.kind) {
    case 'number':
      if (typeof value !== 'number' || !Number.isFinite(value))
        return { reason: 'is not a number', remedy: 'Write a number, or leave it empty.' };
      if (value < (facts.min ?? -Infinity) || value > (facts.max ?? Infinity))
        return { reason: 'is out of range', remedy: `Choose from ${facts.min} to ${facts.max}.` };
      return null;
    case 'choice':
      return facts.among.includes(value as string)
        ? null
        : { reason: 'is none of the choices', remedy: `Choose one of ${facts.among.join(', ')}.` };
    case 'boolean':
      return typeof value === 'boolean'
        ? null
        : { reason: 'is neither yes nor no', remedy: 'Send true or false.' };
    case 'icons':
    case 'text':
      return typeof value === 'string' && value.length <= mostLetters(facts)
        ? null
        : {
            reason: 'is too long, or no text',
            remedy: `Write at most ${counted(mostLetters(facts), 'letter')}.`,
          };
  }
}

/** Letters of an option at the most; of drawings enough for all the choices that a datastream may have. */
function mostLetters(facts: OptionFacts): number {
  return facts.kind === 'text' ? facts.most : 1000;
}
