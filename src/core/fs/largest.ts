/** The largest whole number of [low, high] that fits, where every one below such a one fits as well, and `low` does. */
export function largestThatFits(low: number, high: number, fits: (n: number) => boolean): number {
  let [fitting, beyond] = [low, high + 1];
  while (beyond - fitting > 1) {
    const middle = Math.floor((fitting + beyond) / 2);
    if (fits(middle)) fitting = middle;
    else beyond = middle;
  }
  return fitting;
}
