export { Rules } from './Rules'
