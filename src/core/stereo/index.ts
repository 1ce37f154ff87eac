export { PairReader, type CodedPicture, type Pair } from './coded-pictures';
export { Rewriter, type Met, type Written, type WrittenUnit } from './rewriter';
export { depthOf, eyeOrderOf, type Depth, type EyePair } from './disparity';
export { SHOWN_AT, writeBothViews } from './both-views';
