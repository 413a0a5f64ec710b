export { Board } from './Board'
