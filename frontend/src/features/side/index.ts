export { SideColumn } from './SideColumn'
export { HandoverSheet } from './Handover'
