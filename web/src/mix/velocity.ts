/** How loud a key sounds by how hard it is struck, as the core has it (oskren/core/stack/perform.py). */

const QUIETEST_DB = -30;

export function velocityDb(velocity: number): number {
  return velocity > 0 ? Math.max(QUIETEST_DB, 20 * Math.log10(velocity)) : QUIETEST_DB;
}
