"""Speed and size, measured. Use: ./run bench [speed | first | large | pipeline | transitions [FILM …] | layers | grade [FILM …] | sound [SONGS …]
| draft [SONGS …] | hands [FOLDER] | drag
| retiming | between FILM | beats | changing | modules FOLDER | rows FOLDER … | onsets | mutants [COUNT [FOLDER …]] | fit]

Times on a shared machine are noisy: what is compared is compared in one run, as a ratio.
"""

from __future__ import annotations

import sys

from bench import beats, speed


def main() -> None:
    what = sys.argv[1] if len(sys.argv) > 1 else "speed"
    if what == "beats":
        del sys.argv[1]
        beats.main()
    elif what == "fit":
        from bench import fit

        del sys.argv[1]
        fit.main()
    elif what in ("retiming", "between"):
        from bench import retiming

        sys.exit(retiming.main(sys.argv[1:]))
    elif what == "rows":
        from bench import rows

        rows.main(sys.argv[2:])
    elif what == "onsets":
        from bench import onsets

        del sys.argv[1]
        onsets.main()
    elif what == "transitions":
        from bench import transitions

        transitions.main(sys.argv[2:])
    elif what == "layers":
        from bench import layers

        layers.main()
    elif what == "grade":
        from bench import grade

        grade.main(sys.argv[2:])
    elif what == "sound":
        from bench import sound

        sound.main(sys.argv[2:])
    elif what == "draft":
        from bench import draft

        draft.main(sys.argv[2:])
    elif what == "hands":
        from bench import hands

        hands.main(sys.argv[2:])
    elif what == "drag":
        from bench import drag

        drag.main()
    elif what == "changing":
        from bench import changing

        changing.main(sys.argv[2:])
    elif what == "modules":
        from bench import modules

        modules.main(sys.argv[2:])
    elif what == "mutants":
        from bench import mutants

        mutants.main(sys.argv[2:])
    elif what == "first":
        from bench import first

        first.main()
    elif what == "large":
        from bench import large

        large.main()
    elif what == "pipeline":
        from bench import pipeline

        pipeline.main()
    elif what == "speed":
        from bench import pipeline, retiming

        speed.main()
        pipeline.main()
        retiming.main([])
    else:
        sys.exit(
            f"There is no bench '{what}'; choose speed, first, large, pipeline, transitions, layers, grade, sound, draft, hands, drag, retiming, "
            "between, beats, changing, modules, rows, onsets or fit."
        )


if __name__ == "__main__":
    main()
