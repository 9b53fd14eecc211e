import type { Statistics } from '@peatmoor/core';
import * as calibrations from '../schemas/calibrations';
import * as data from '../schemas/data';
import * as history from '../schemas/history';
import * as paging from '../schemas/paging';
import { endpoint, type Query } from './endpoint';

/** Readings: history, statistics, import, calibration, corrections. */
export const dataEndpoints = {
  history: endpoint<history.History, undefined, Query<history.HistoryQuery>>(
    'GET /api/devices/:device/history',
    'shown',
    'Readings, or buckets of them, of one device',
    { query: history.historyQuerySchema, answer: history.historySchema },
  ),
  listOthers: endpoint<history.OtherReadings, undefined, Query<history.OthersQuery>>(
    'GET /api/devices/:device/others',
    'shown',
    'Texts, locations or images of a device over a period, the newest first',
    { query: history.othersQuerySchema, answer: history.otherReadingsSchema },
  ),
  calendar: endpoint<data.Calendar, undefined, Query<data.CalendarQuery>>(
    'GET /api/devices/:device/calendar',
    'shown',
    'Hours, days, weeks, months or years of a time zone, with what was measured in each',
    { query: data.calendarQuerySchema, answer: data.calendarSchema },
  ),
  statistics: endpoint<Statistics, undefined, Query<data.StatisticsQuery>>(
    'GET /api/devices/:device/statistics',
    'shown',
    'Statistics of a datastream over a period',
    { query: data.statisticsQuerySchema, answer: data.statisticsSchema },
  ),
  importRows: endpoint<data.Imported, Pick<data.Import, 'csv'> & Partial<data.Import>>(
    'POST /api/devices/:device/import',
    'change',
    'Take readings from CSV; safe to repeat, and `try` only looks',
    { body: data.importSchema, answer: data.importedSchema },
  ),
  deleteReadings: endpoint<{ count: number }, Pick<data.CorrectionIn, 'stream'> & Partial<data.CorrectionIn>>(
    'POST /api/devices/:device/corrections',
    'change',
    'Delete readings of a period, or all; `try` only counts',
    { body: data.correctionSchema, answer: data.correctedSchema },
  ),
  listCalibrations: endpoint<calibrations.KeptCalibration[], undefined, Query<paging.OfStreamQuery>>(
    'GET /api/devices/:device/calibrations',
    'look',
    'Calibrations of a device, the newest first',
    { query: paging.ofStreamQuerySchema, pages: 'all', answer: calibrations.calibrationsSchema },
  ),
  createCalibration: endpoint<
    calibrations.CalibrationPreview,
    Pick<calibrations.NewCalibration, 'stream' | 'calibration'> & Partial<calibrations.NewCalibration>
  >(
    'POST /api/devices/:device/calibrations',
    'change',
    'Calibrate a datastream of a device; `try` only shows what it would make of recent readings',
    { body: calibrations.newCalibrationSchema, answer: calibrations.calibrationPreviewSchema },
  ),
  deleteCalibration: endpoint<void>(
    'DELETE /api/devices/:device/calibrations/:calibration',
    'change',
    'Take a calibration back; raw values are as they were',
  ),
  listCorrections: endpoint<data.Correction[], undefined, Query<paging.OfStreamQuery>>(
    'GET /api/devices/:device/corrections',
    'look',
    'What was deleted by hand, by whom and when',
    { query: paging.ofStreamQuerySchema, pages: 'newest', answer: data.correctionsSchema },
  ),
  overview: endpoint<history.Overview, undefined, { hours?: number; devices?: string }>(
    'GET /api/overview',
    'shown',
    'The last hours of every device, on one time axis',
    { query: history.overviewQuerySchema, answer: history.overviewSchema },
  ),
};
