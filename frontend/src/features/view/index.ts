export { View } from './View'
export { TitleBlock } from './TitleBlock'
