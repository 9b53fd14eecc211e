export type { Bus, BusStep, Computed, FrameSum, Measure, Module, Part, PartWay, Steps } from './part';
export * from './catalogue';
