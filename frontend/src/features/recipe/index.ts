export { Recipe } from './Recipe'
