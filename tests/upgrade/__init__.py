"""An installation of the first version, taken along to this one.

``first_landed.sql.gz`` is the demo that commit bcb1e4f (the first that landed) made on 16 September 2026, brought to
commit 5be2c4b as docs/operate.md says, and dumped. ``walk`` goes on with it.
"""
