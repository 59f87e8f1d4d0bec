export { RoundPage } from './RoundPage'
export { RoundSheet } from './RoundSheet'
export { StartRound } from './StartRound'
