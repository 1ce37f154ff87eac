export { PairReader } from './coded-pictures';
export { Rewriter, type Met } from './rewriter';
export { depthOf, eyeOrderOf, reachBelow, type Depth, type EyePair } from './disparity';
export { writeBothViews } from './both-views';
export { withFramePacking } from './frame-packing';
