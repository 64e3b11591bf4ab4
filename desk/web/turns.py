"""Whose turn it is to compute, in all processes of the web server together.

There are so many places, and of each user so many. Of those that wait, whoever has fewest places goes first, and among
them whoever came first: a user waits behind everybody's first request, never behind another's hundred.
"""

from __future__ import annotations

import os
import secrets
import time
from dataclasses import dataclass, field

from desk.web.queue import QUEUE

MOST = max(3, (os.cpu_count() or 1) + 1)  # at once; one more than cores, as some of them read files
OF_ONE = 2  # of one user, whatever is asked
SILENT = 2.0  # seconds after which one that does not ask any more has left the line
_KEYS = ("places:taken", "places:waiting", "places:asked")

# Members are "user token". A taken place is kept until its score, one that waits came at its score and asked last at
# what the hash says. Free places are given in thought to those before whoever asks, so nobody waits for slower askers.
_ASK = QUEUE.register_script("""
local taken, waiting, asked = KEYS[1], KEYS[2], KEYS[3]
local own, now, came, most, of_one = ARGV[1], tonumber(ARGV[2]), ARGV[3], tonumber(ARGV[4]), tonumber(ARGV[5])
local silent, until_, longest = tonumber(ARGV[6]), ARGV[7], tonumber(ARGV[8])
local user = string.match(own, '^%S+')
redis.call('ZREMRANGEBYSCORE', taken, '-inf', now)
if redis.call('ZSCORE', taken, own) then return 1 end
redis.call('ZADD', waiting, 'NX', came, own)
if now - tonumber(redis.call('HGET', asked, own) or 0) > silent / 4 then redis.call('HSET', asked, own, now) end
local has, line, before, found = {}, {}, 0, false
for _, member in ipairs(redis.call('ZRANGE', taken, 0, -1)) do
  local of = string.match(member, '^%S+')
  has[of] = (has[of] or 0) + 1
end
for _, member in ipairs(redis.call('ZRANGE', waiting, 0, -1)) do
  if now - tonumber(redis.call('HGET', asked, member) or 0) > silent then
    redis.call('ZREM', waiting, member)
    redis.call('HDEL', asked, member)
  else
    table.insert(line, member)
    found = found or member == own
    if not found and string.match(member, '^%S+') == user then before = before + 1 end
  end
end
if before >= longest then
  redis.call('ZREM', waiting, own)
  redis.call('HDEL', asked, own)
  return -1
end
for _ = 1, most - redis.call('ZCARD', taken) do
  local best, fewest = nil, of_one
  for place, member in ipairs(line) do
    local count = has[string.match(member, '^%S+')] or 0
    if count < fewest then best, fewest = place, count end
  end
  if not best then return 0 end
  local member = table.remove(line, best)
  if member == own then
    redis.call('ZREM', waiting, own)
    redis.call('HDEL', asked, own)
    redis.call('ZADD', taken, until_, own)
    return 1
  end
  local of = string.match(member, '^%S+')
  has[of] = (has[of] or 0) + 1
end
return 0
""")


@dataclass(slots=True)
class Turn:
    """One that a user waits for, or has. later: seconds by which what is less urgent lets others go first. keep: for so
    long it is taken if it is not given back. longest: how many of the same user may wait before it."""

    user: int
    keep: float
    longest: int
    later: float = 0.0
    _own: str = ""
    _came: float = field(default_factory=time.time)

    def __post_init__(self) -> None:
        self._own = f"{self.user} {secrets.token_hex(8)}"

    def ask(self) -> bool | None:
        """Whether it is taken now; None if too many of the user wait already. Raises RedisError."""
        now = time.time()
        limits = (MOST, OF_ONE, SILENT, now + self.keep, self.longest)
        given = _ASK(_KEYS, (self._own, now, self._came + self.later, *limits))
        return None if given < 0 else bool(given)

    def give_back(self) -> None:
        """Leave the place, or the line. Raises RedisError."""
        with QUEUE.pipeline() as line:
            line.zrem(_KEYS[0], self._own)
            line.zrem(_KEYS[1], self._own)
            line.hdel(_KEYS[2], self._own)
            line.execute()
