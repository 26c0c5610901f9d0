/**
 * What the planner is to answer to each situation, worked out from domain facts 7 and 8. A line is a route: its
 * steps with the numbers of their partitions, then bytes copied and exposed bytes in MiB, restarts, steps, idle
 * space in MiB, and 1 where the recovery partition is given up as Windows' neighbour. `stops` are the findings.
 *
 * For example `donor-next`: 40 GiB off the end of a volume of 200 GiB that holds 100 copy 100 x 40 / 200 = 20 GiB,
 * moving it copies its 100: 120 GiB or 122,880 MiB; the move by 40 overlaps its own 160, so 100 GiB are exposed.
 */
export const EXPECTED: Record<string, { stops: string[]; front: Record<string, string[]> }> = {
  adjacent: {
    stops: [],
    front: {
      'windows-only': ['extend 3 = 0 0 0 1 0 0'],
      'live-mover': ['extend 3 = 0 0 0 1 0 0'],
      'offline-mover': ['extend 3 = 0 0 0 1 0 0'],
    },
  },
  recovery: {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0',
        'move 2, extend 1 = 512 0 2 2 0 0',
      ],
    },
  },
  'efi-behind': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 32 0 1 2 0 0'],
      'offline-mover': ['move 2, extend 1 = 32 0 2 2 0 0'],
    },
  },
  'reserved-behind': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 0 0 0 2 0 0'],
      'offline-mover': ['move 2, extend 1 = 0 0 2 2 0 0'],
    },
  },
  'unknown-behind': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 2048 0 0 2 0 0'],
      'offline-mover': ['move 2, extend 1 = 2048 0 2 2 0 0'],
    },
  },
  'full-data': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 204800 204800 0 2 0 0'],
      'offline-mover': ['move 2, extend 1 = 204800 204800 2 2 0 0'],
    },
  },
  'donor-next': {
    stops: [],
    front: {
      'live-mover': ['shrink 2, move 2, extend 1 = 122880 102400 0 3 0 0'],
      'offline-mover': ['shrink 2, move 2, extend 1 = 122880 102400 2 3 0 0'],
    },
  },
  'donor-behind-recovery': {
    stops: [],
    front: {
      'live-mover': ['shrink 3, move 3, move 2, extend 1 = 123392 102400 0 4 0 0'],
      'offline-mover': ['shrink 3, move 3, move 2, extend 1 = 123392 102400 2 4 0 0'],
    },
  },
  'two-donors': {
    stops: [],
    front: {
      'live-mover': [
        'shrink 2, shrink 3, move 3, move 2, extend 1 = 136979.7 102400 0 5 0 0',
        'shrink 2, shrink 3, create 4, copy 3, delete 3, move 2, extend 1 = 130835.7 102400 0 7 0 0',
      ],
      'offline-mover': [
        'shrink 2, shrink 3, move 3, move 2, extend 1 = 136979.7 102400 2 5 0 0',
        'shrink 2, shrink 3, create 4, copy 3, delete 3, move 2, extend 1 = 130835.7 102400 2 7 0 0',
      ],
    },
  },
  'left-room': {
    stops: [],
    front: {
      'live-mover': ['move 1, extend 1 = 97280 97280 1 2 0 0'],
      'offline-mover': ['move 1, extend 1 = 97280 97280 2 2 0 0'],
    },
  },
  'left-room-wide': {
    stops: [],
    front: {
      'live-mover': ['move 1, extend 1 = 97280 0 1 2 0 0'],
      'offline-mover': ['move 1, extend 1 = 97280 0 2 2 0 0'],
    },
  },
  'room-in-pieces': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0',
        'move 2, extend 1 = 512 0 2 2 0 0',
      ],
    },
  },
  'table-not-at-end': {
    stops: [],
    front: {
      'windows-only': ['relocate-table, extend 1 = 0 0 0 2 0 0'],
      'live-mover': ['relocate-table, extend 1 = 0 0 0 2 0 0'],
      'offline-mover': ['relocate-table, extend 1 = 0 0 0 2 0 0'],
    },
  },
  'enlarge-allowed': {
    stops: [],
    front: {
      'live-mover': ['enlarge-disk, relocate-table, move 2, extend 1 = 512 0 0 4 0 0'],
      'windows-only': ['enlarge-disk, relocate-table, set-aside 2, extend 1, put-back 2 = 1024 0 0 5 0 0'],
      'offline-mover': [
        'enlarge-disk, relocate-table, set-aside 2, extend 1, put-back 2 = 1024 0 0 5 0 0',
        'enlarge-disk, relocate-table, move 2, extend 1 = 512 0 2 4 0 0',
      ],
    },
  },
  'leftover-efi': {
    stops: [],
    front: {
      'live-mover': ['delete 3, move 2, extend 1 = 32 0 1 3 0 0'],
      'offline-mover': ['delete 3, move 2, extend 1 = 32 0 2 3 0 0'],
    },
  },
  'encrypted-target': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0',
        'move 2, extend 1 = 512 0 2 2 0 0',
      ],
    },
  },
  'encrypted-donor': {
    stops: [],
    front: {
      'live-mover': ['decrypt 2, shrink 2, move 2, extend 1 = 225280 102400 0 4 0 0'],
      'offline-mover': ['decrypt 2, shrink 2, move 2, extend 1 = 225280 102400 2 4 0 0'],
    },
  },
  'windows-only-recovery': {
    stops: [],
    front: {
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
    },
  },
  'windows-only-copy': {
    stops: [],
    front: {
      'windows-only': ['create 3, copy 2, delete 2, extend 1 = 20480 0 0 4 0 0'],
    },
  },
  'windows-only-outside': {
    stops: [],
    front: {
      'windows-only': ['copy 2, delete 2, extend 1, create 3, copy 3 = 112640 0 0 5 0 0'],
    },
  },
  'windows-only-stuck': { stops: ['stopped-no-mover'], front: {} },
  leap: {
    stops: [],
    front: {
      'live-mover': [
        'move 2, move 2, extend 1 = 4096 0 0 3 0 0',
        'move 2, extend 1 = 2048 0 0 2 0 1',
        'move 2, extend 1 = 2048 2048 0 2 0 0',
      ],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 4096 0 0 3 0 0',
        'move 2, extend 1 = 2048 0 2 2 0 1',
        'move 2, extend 1 = 2048 2048 2 2 0 0',
      ],
    },
  },
  'longer-shift': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0',
        'move 2, extend 1 = 512 0 2 2 0 0',
      ],
    },
  },
  'logical-donor': {
    stops: [],
    front: {
      'live-mover': [
        'shrink 5, extend 2, move 5, shrink 2, extend 1 = 30719.9 0 0 5 30719 0',
        'shrink 5, move 5, shrink 2, extend 1 = 30720.1 0 0 4 30720 0',
        'shrink 5, move 5, shrink 2, extend 1 = 24576.04 20480 0 4 0 0',
        'shrink 5, move 5, shrink 2, extend 1, extend 5 = 36659.16 0 0 5 1024 0',
        'shrink 5, move 5, move 5, shrink 2, extend 1, extend 5 = 53248.12 0 0 6 0 0',
        'shrink 5, extend 2, move 5, shrink 2, extend 1, extend 5 = 36659.16 0 0 6 1023 0',
        'shrink 5, extend 2, move 5, shrink 2, extend 1 = 24575.84 20480 0 5 0 0',
      ],
      'offline-mover': [
        'shrink 5, extend 2, move 5, shrink 2, extend 1 = 30719.9 0 2 5 30719 0',
        'shrink 5, move 5, shrink 2, extend 1 = 30720.1 0 2 4 30720 0',
        'shrink 5, move 5, shrink 2, extend 1 = 24576.04 20480 2 4 0 0',
        'shrink 5, move 5, shrink 2, extend 1, extend 5 = 36659.16 0 2 5 1024 0',
        'shrink 5, move 5, move 5, shrink 2, extend 1, extend 5 = 53248.12 0 2 6 0 0',
        'shrink 5, extend 2, move 5, shrink 2, extend 1, extend 5 = 36659.16 0 2 6 1023 0',
        'shrink 5, extend 2, move 5, shrink 2, extend 1 = 24575.84 20480 2 5 0 0',
      ],
    },
  },
  'room-in-extended': {
    stops: [],
    front: {
      'live-mover': [
        'extend 2, move 5, shrink 2, extend 1 = 20480 0 0 4 0 0',
        'move 5, shrink 2, extend 1 = 20480 20480 0 3 0 0',
      ],
      'offline-mover': [
        'extend 2, move 5, shrink 2, extend 1 = 20480 0 2 4 0 0',
        'move 5, shrink 2, extend 1 = 20480 20480 2 3 0 0',
      ],
    },
  },
  'logical-target': {
    stops: [],
    front: {
      'live-mover': ['extend 2, extend 5 = 0 0 0 2 0 0'],
      'offline-mover': ['extend 2, extend 5 = 0 0 2 2 0 0'],
    },
  },
  'hard-running-floor': {
    stops: [],
    front: {
      'offline-mover': ['shrink 2, move 2, extend 1 = 122880 102400 2 3 0 0'],
    },
  },
  'big-sectors': {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0',
        'move 2, extend 1 = 512 0 2 2 0 0',
      ],
    },
  },
  misaligned: {
    stops: [],
    front: {
      'live-mover': ['move 2, extend 1 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 2, extend 1, put-back 2 = 1024 0 0 3 0 0',
        'move 2, extend 1 = 512 0 2 2 0 0',
      ],
    },
  },
  'refs-target': {
    stops: [],
    front: {
      'live-mover': ['move 3, extend 2 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 3, extend 2, put-back 3 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 3, extend 2, put-back 3 = 1024 0 0 3 0 0',
        'move 3, extend 2 = 512 0 2 2 0 0',
      ],
    },
  },
  'cluster-map-free-tail': {
    stops: [],
    front: {
      'live-mover': [
        'shrink 3, move 3, move 2, extend 1, extend 3 = 135168 102400 0 5 0 0',
        'shrink 3, create 4, copy 3, delete 3, move 2, extend 1 = 134758.4 102400 0 6 2048 0',
        'shrink 3, move 3, move 2, extend 1 = 133120 102400 0 4 10240 0',
        'shrink 3, create 4, copy 3, delete 3, move 2, extend 1 = 127180.8 102400 0 6 39936 0',
        'shrink 3, move 3, move 2, extend 1 = 131072 122880 0 4 0 0',
      ],
      'offline-mover': [
        'shrink 3, move 3, move 2, extend 1, extend 3 = 135168 102400 2 5 0 0',
        'shrink 3, create 4, copy 3, delete 3, move 2, extend 1 = 134758.4 102400 2 6 2048 0',
        'shrink 3, move 3, move 2, extend 1 = 133120 102400 2 4 10240 0',
        'shrink 3, create 4, copy 3, delete 3, move 2, extend 1 = 127180.8 102400 2 6 39936 0',
        'shrink 3, move 3, move 2, extend 1 = 131072 122880 2 4 0 0',
      ],
    },
  },
  'data-target': {
    stops: [],
    front: {
      'live-mover': ['move 3, extend 2 = 512 0 0 2 0 0'],
      'windows-only': ['set-aside 3, extend 2, put-back 3 = 1024 0 0 3 0 0'],
      'offline-mover': [
        'set-aside 3, extend 2, put-back 3 = 1024 0 0 3 0 0',
        'move 3, extend 2 = 512 0 2 2 0 0',
      ],
    },
  },
  'fixed-obstacle': { stops: ['stopped-fixed'], front: {} },
  'no-room': { stops: ['no-more-room'], front: {} },
  locked: { stops: ['encrypted-locked'], front: {} },
  // 64 MiB for the log, 0.19, 102,400 / 803 = 127.52 and 61,440 x 1,280 / 32,768 = 2,400 MiB, up to whole clusters.
  'fat-target': {
    stops: [],
    front: {
      'windows-only': ['convert-volume 2, extend 2 = 2591.71 0 0 2 0 0'],
      'live-mover': ['extend 2 = 0 0 0 1 0 0'],
      'offline-mover': ['extend 2 = 0 0 2 1 0 0', 'convert-volume 2, extend 2 = 2591.71 0 0 2 0 0'],
    },
  },
  'fat-behind-recovery': {
    stops: [],
    front: {
      'windows-only': ['convert-volume 2, set-aside 3, extend 2, put-back 3 = 3615.71 0 0 4 0 0'],
      'live-mover': ['move 3, extend 2 = 512 0 0 2 0 0'],
    },
  },
  'fat-not-converted': { stops: ['cannot-grow'], front: {} },
  'fat-too-full': { stops: ['cannot-grow'], front: {} },
  'join-room-now': {
    stops: [],
    front: { 'windows-only': ['join 2, delete 2, extend 1 = 20480 0 0 3 0 0'] },
  },
  // E: gives 11 GiB first (20 x 11 / 100 = 2.2 GiB copied), so that C: has the 90, the 20 and 1 GiB; its 20 move by 11,
  // exposed; 20 go into C:.
  'join-extend-first': {
    stops: [],
    front: {
      'live-mover': ['shrink 2, move 2, extend 1, join 2, delete 2, extend 1 = 43212.8 20480 0 6 0 0'],
    },
  },
  // Out and in: the 20 GiB twice.
  'join-by-outside': {
    stops: [],
    front: { 'windows-only': ['copy 2, delete 2, extend 1, join 1 = 40960 0 0 4 0 0'] },
  },
  // 60 of 100 GiB: 12 copied, its 20 moved clear of their own place, and 20 GiB grown back; the join copies its 20
  // alone.
  'join-not-first': {
    stops: [],
    front: {
      'live-mover': [
        'shrink 2, move 2, extend 1, extend 2 = 32768 0 0 4 0 0',
        'join 2, delete 2, extend 1 = 20480 0 0 3 0 0',
      ],
    },
  },
  'join-encrypted': {
    stops: [],
    front: { 'windows-only': ['decrypt 2, join 2, delete 2, extend 1 = 40960 0 0 4 0 0'] },
  },
  'join-two': {
    stops: [],
    front: {
      'windows-only': ['join 2, delete 2, join 3, delete 3, extend 1 = 40960 0 0 5 0 0'],
    },
  },
  'join-not-allowed': { stops: ['stopped-no-mover'], front: {} },
  'join-too-full': { stops: ['stopped-no-mover'], front: {} },
  'table-beyond': {
    stops: [],
    front: { 'windows-only': ['convert-table, extend 2 = 0 0 0 2 0 0'] },
  },
  // What lies in the 100 MiB of the new partition is not known, so all of it counts; as any that the machine starts
  // from it moves at a restart.
  'table-from-windows': {
    stops: [],
    front: { 'live-mover': ['convert-table, move 2, extend 1 = 100 0 1 3 0 0'] },
  },
  'table-not-allowed': { stops: ['no-more-room'], front: {} },
  'exfat-target': { stops: ['cannot-grow'], front: {} },
  dynamic: { stops: ['dynamic-disk'], front: {} },
  hibernated: { stops: ['hibernated'], front: {} },
  'held-gift': {
    stops: [],
    front: {
      'offline-mover': ['shrink 2, move 2, extend 1 = 133120 102400 2 3 20480 0'],
    },
  },
};
