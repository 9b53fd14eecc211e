export type {
  Bus,
  BusStep,
  Computed,
  FrameSum,
  KernelFile,
  Measure,
  Module,
  Part,
  PartWay,
  Steps,
} from './part';
export * from './catalogue';
