import type { TimeAxis } from "../../shared/axis";

/** Where a row of the sheet is drawn. */
export interface Place {
  x: TimeAxis;
  left: number;
  narrow: boolean;
  end: string;
  top: number;
  height: number;
}
