export { GraphSheet } from './GraphSheet'
