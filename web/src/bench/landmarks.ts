import type { Schemas } from '../api/client';

export type Landmark = Schemas['Landmark'];

/** A body in a picture; of one that was found it is told which points may as well lie elsewhere. */
export type Body = Schemas['Pose'] & { unsure?: Landmark[] };

/** In the order in which they are marked: feet first, since most measures need only them. */
export const landmarks: [Landmark, string][] = [
  ['left_heel', 'left heel'],
  ['left_toe', 'left toe'],
  ['right_heel', 'right heel'],
  ['right_toe', 'right toe'],
  ['left_hip', 'left hip'],
  ['right_hip', 'right hip'],
  ['left_shoulder', 'left shoulder'],
  ['right_shoulder', 'right shoulder'],
  ['left_elbow', 'left elbow'],
  ['right_elbow', 'right elbow'],
  ['left_wrist', 'left wrist'],
  ['right_wrist', 'right wrist'],
  ['nose', 'nose'],
  ['left_knee', 'left knee'],
  ['right_knee', 'right knee'],
  ['left_ankle', 'left ankle'],
  ['right_ankle', 'right ankle'],
  ['left_knuckle', 'left knuckle'],
  ['right_knuckle', 'right knuckle'],
];

export const bones: [Landmark, Landmark][] = [
  ['left_shoulder', 'right_shoulder'],
  ['left_hip', 'right_hip'],
  ['left_shoulder', 'left_hip'],
  ['right_shoulder', 'right_hip'],
  ['left_shoulder', 'left_elbow'],
  ['left_elbow', 'left_wrist'],
  ['left_wrist', 'left_knuckle'],
  ['right_shoulder', 'right_elbow'],
  ['right_elbow', 'right_wrist'],
  ['right_wrist', 'right_knuckle'],
  ['left_hip', 'left_knee'],
  ['left_knee', 'left_ankle'],
  ['left_ankle', 'left_heel'],
  ['left_heel', 'left_toe'],
  ['right_hip', 'right_knee'],
  ['right_knee', 'right_ankle'],
  ['right_ankle', 'right_heel'],
  ['right_heel', 'right_toe'],
];

/** Points of the floor reference in the order of marking. */
export const corners = [
  'near left corner',
  'near right corner',
  'far right corner',
  'far left corner',
  'near edge middle',
  'right edge middle',
  'far edge middle',
  'left edge middle',
];
