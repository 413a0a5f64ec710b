export { DrawingSheet } from './DrawingSheet'
export { TopBar } from './TopBar'
export { KeysSheet } from './KeysSheet'
export { HistorySheet } from './HistorySheet'
