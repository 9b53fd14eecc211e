export * from './timetable';
export * from './sun';
