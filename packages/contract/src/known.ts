import { LANGUAGES, type Language } from '@peatmoor/core';

// What there is of some things, apart from the schemas: pages that check nothing go without those.

/** Colours that a dashboard may be marked with, by their names in the palette. */
export const DASHBOARD_COLOURS = ['ink', 'pool', 'heather', 'moss', 'rowan'] as const;
export type DashboardColour = (typeof DASHBOARD_COLOURS)[number];

/** What an access key may do: all its person may, look at everything, look at one device, report for one device. */
export const KEY_SCOPES = ['everything', 'read', 'read-device', 'report-device'] as const;
export type KeyScope = (typeof KEY_SCOPES)[number];

/** Ways in which a person is reached: by email, on their phones and browsers, by banner and sound on open pages. */
export const PERSONAL_CHANNELS = ['email', 'push', 'screen'] as const;
export type PersonalChannel = (typeof PERSONAL_CHANNELS)[number];
/** Those of them that stand in for one another where an alert does not get through: the others need a page that is open. */
export const STAND_INS = ['push', 'email'] as const;
export type StandIn = (typeof STAND_INS)[number];

export const SEVERITIES = ['notice', 'warning', 'urgent'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** Letters of a note. */
export const LONGEST_REMARK = 300;

/** Items of a list in one answer at the most. */
export const MOST_LISTED = 500;

/** Board families that starters are written for; empty where none is said. */
export const BOARDS = ['', 'wifi-cpp', 'cellular-cpp', 'micropython', 'small-computer', 'other'] as const;
export type Board = (typeof BOARDS)[number];

/** What a person chose for themselves. */
export interface PersonalChoices {
  /** Numbers of dashboards. */
  favourites: number[];
  /** The path of the page they begin with; empty for the overview. */
  start: string;
  language: Language;
  /** Empty for that of the browser they look with. */
  zone: string;
  /** Datastreams that the rows of their Overview leave out, by kind. */
  leftOut: { kind: number; streams: string[] }[];
}
/** Those of somebody who chose nothing yet. */
export const NO_CHOICES: PersonalChoices = {
  favourites: [],
  start: '',
  language: LANGUAGES[0],
  zone: '',
  leftOut: [],
};
