"""The demo world: the Saltmere lamp guild, sculpted in code. `build.py` makes the files that ship."""
