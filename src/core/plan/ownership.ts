/** Whose bytes are whose while a plan is gone through: every volume owns a stretch, and no two stretches touch. */
import { isHere, type Place, type Stretch } from '@/core/place';

/** A stretch with whoever owns it: a volume by its number, a new one, or one of a disk that is only read. */
export interface Owner {
  readonly place: Place;
  readonly volume: number | 'new' | 'original';
}

const endOf = ({ start, length }: Stretch): number => start + length;

export class Ownership {
  private constructor(
    readonly owners: readonly Owner[],
    /** Stretches of other disks that may be owned. */
    private readonly lent: readonly Place[],
  ) {}

  /** Of the volumes that are on the disk, with the room that other disks lend. */
  static of(owners: readonly Owner[], lent: readonly Place[]): Ownership {
    return new Ownership(owners, lent);
  }

  /** The owner of exactly this stretch. @throws RangeError when nobody, or somebody else, owns it */
  at(place: Place, volume?: number): Owner {
    const found = this.owners.find((o) => o.place.disk === place.disk && o.place.start === place.start);
    if (!found || found.place.length !== place.length || (volume !== undefined && found.volume !== volume))
      throw new RangeError(`${volume === undefined ? 'no volume' : `volume ${volume} is not`} at ${words(place)}`);
    return found;
  }

  without(owner: Owner): Ownership {
    return new Ownership(
      this.owners.filter((o) => o !== owner),
      this.lent,
    );
  }

  /** @throws RangeError where somebody else's bytes lie, or bytes that were not lent */
  with(place: Place, volume: Owner['volume']): Ownership {
    const hit = this.owners.find(
      ({ place: p }) => p.disk === place.disk && p.start < endOf(place) && place.start < endOf(p),
    );
    if (hit) throw new RangeError(`${words(place)} is live for ${words(hit.place)}`);
    const lent = this.lent.some((l) => l.disk === place.disk && l.start <= place.start && endOf(place) <= endOf(l));
    if (!isHere(place) && !lent) throw new RangeError(`there is no room for ${words(place)}`);
    return new Ownership([...this.owners, { place, volume }], this.lent);
  }
}

const words = (place: Place): string => `[${place.start}, ${endOf(place)})${isHere(place) ? '' : ` of ${place.disk}`}`;
