"""The standby that confirms each commit: whether it is there, how far it is behind, and what people are told of it."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, text

from canaleta.plant.database.patience import patient

__all__ = ["FINE", "Standing", "standing_of"]

LAGS_S = 3.0
"""A standby that is so far behind is told: whoever saves waits as long."""
_ASK = text("""
select current_setting('synchronous_standby_names') <> '' as wanted,
    current_setting('synchronous_commit') in ('off', 'local') as unsure,
    (select count(*) from pg_stat_replication
        where coalesce(state, 'streaming') = 'streaming' and coalesce(sync_state, 'sync') in ('sync', 'quorum')) as confirm,
    (select count(*) from pg_stat_replication where coalesce(state, '') <> 'backup') as there,
    (select extract(epoch from max(clock_timestamp() - state_change)) from pg_stat_activity
        where wait_event = 'SyncRep') as waits_s,
    (select extract(epoch from max(replay_lag)) from pg_stat_replication where sync_state in ('sync', 'quorum')) as lag_s
""")


@dataclass(frozen=True)
class Standing:
    """How the standby is. state: "none" where nobody asks for one, "good", "lags", "gone", or "unsure" where one follows and what
    is acknowledged does not wait for it. says, remedy: for people; '' where all is well."""

    state: str
    says: str = ""
    remedy: str = ""

    @property
    def slow(self) -> bool:
        """Whether saving suffers."""
        return self.state in ("lags", "gone")


FINE = Standing("none")


def standing_of(connection: Connection) -> Standing:
    """How the standby of the server behind a connection is. A role without pg_monitor sees that one is connected, and not whether
    it is the one that confirms."""
    row = connection.execute(_ASK).one()
    if not row.wanted or row.unsure:
        if not row.there:
            return FINE
        return Standing(
            "unsure",
            "a standby follows, and what is saved does not wait for it: it could be lost with this server",
            "name it in synchronous_standby_names, and set synchronous_commit = remote_apply",
        )
    waits, lag = float(row.waits_s or 0.0), float(row.lag_s or 0.0)
    if not row.confirm:
        return Standing(
            "gone",
            "the standby is gone, and nothing counts as saved until one confirms it; reading goes on",
            "bring the standby back; or let this server go on alone: alter system set synchronous_standby_names = '', then"
            " select pg_reload_conf()",
        )
    if max(waits, lag) > patient(LAGS_S):
        return Standing(
            "lags",
            f"the standby is {max(waits, lag):.0f} s behind, and saving waits for it",
            "look at its disk and at the network to it",
        )
    return Standing("good")
