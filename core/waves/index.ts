export {
  layStages,
  type Laid,
  type LaidStage,
  type Stage,
  type StageMistake,
  stageMistake,
  type UnlaidReason,
  unlaidReasons,
  type UnlaidStage,
} from './lay'
