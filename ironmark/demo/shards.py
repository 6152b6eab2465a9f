"""Servers of ClickHouse on loopback, as shards of one cluster: for the tests, and for anyone who wants to try rows that
one machine does not hold."""

from __future__ import annotations

import shutil
import subprocess
import time
from pathlib import Path

from clickhouse_driver import Client
from clickhouse_driver.errors import Error as DriverError

from ironmark.demo.loopback import end, end_with_us, free_ports

CLUSTER = "shards"
_PROGRAM = ("clickhouse-server", "/usr/sbin/clickhouse-server")
_CONFIG = """<?xml version="1.0"?>
<yandex>
  <logger><level>warning</level><log>{base}/server.log</log><errorlog>{base}/errors.log</errorlog></logger>
  <http_port>{http}</http_port>
  <tcp_port>{tcp}</tcp_port>
  <interserver_http_port>{between}</interserver_http_port>
  <listen_host>127.0.0.1</listen_host>
  <path>{base}/data/</path>
  <tmp_path>{base}/tmp/</tmp_path>
  <users_config>users.xml</users_config>
  <default_profile>default</default_profile>
  <default_database>default</default_database>
  <timezone>UTC</timezone>
  <mark_cache_size>268435456</mark_cache_size>
  <remote_servers><{cluster}>{shards}</{cluster}></remote_servers>
</yandex>
"""
_SHARD = "<shard><replica><host>127.0.0.1</host><port>{port}</port><user>{user}</user><password>{password}</password></replica></shard>"
_USERS = """<?xml version="1.0"?>
<yandex>
  <profiles>
    <default><max_memory_usage>4000000000</max_memory_usage><load_balancing>in_order</load_balancing></default>
    <looking><readonly>1</readonly></looking>
    <careless><readonly>1</readonly><skip_unavailable_shards>1</skip_unavailable_shards></careless>
  </profiles>
  <users>
    <{user}><password>{password}</password><networks><ip>127.0.0.1</ip></networks><profile>default</profile><quota>default</quota></{user}>
    <looker><password>{password}</password><networks><ip>127.0.0.1</ip></networks><profile>looking</profile><quota>default</quota></looker>
    <careless><password>{password}</password><networks><ip>127.0.0.1</ip></networks><profile>careless</profile><quota>default</quota></careless>
  </users>
  <quotas><default/></quotas>
</yandex>
"""


class Shards:
    """So many servers, each a shard. ``looker`` is an account that may only read,
    ``careless`` one that leaves out shards that do not answer. Raises OSError where ClickHouse is
    not installed."""

    def __init__(self, directory: Path, password: str, many: int = 3, user: str = "keeper") -> None:
        self.directory, self.user, self.password = directory, user, password
        self.ports = [free_ports(3) for _ in range(many)]
        self.processes: list[subprocess.Popen[bytes] | None] = [None] * many

    @property
    def port(self) -> int:
        """Where the first of them, which answers for all, is asked."""
        return self.ports[0][0]

    def start(self) -> Shards:
        """Raises TimeoutError. Ports that are free now may be taken in a moment: then others are tried."""
        for last in (False, False, True):
            try:
                return self._started()
            except TimeoutError:
                self.stop()
                if last:
                    raise
                self.ports = [free_ports(3) for _ in self.ports]
        raise AssertionError("the last one returned or raised")

    def _started(self) -> Shards:
        known = {"user": self.user, "password": self.password}
        shards = "".join(_SHARD.format(port=ports[0], **known) for ports in self.ports)
        for at, (tcp, http, between) in enumerate(self.ports):
            base = self._base(at)
            for name in ("data", "tmp"):
                (base / name).mkdir(parents=True, exist_ok=True)
            config = _CONFIG.format(base=base, tcp=tcp, http=http, between=between, cluster=CLUSTER, shards=shards)
            (base / "config.xml").write_text(config)
            (base / "users.xml").write_text(_USERS.format(**known))
            self.start_one(at)
        for at in range(len(self.ports)):
            self.wait_for(at)
        return self

    def _base(self, at: int) -> Path:
        return self.directory / f"shard{at + 1}"

    def start_one(self, at: int) -> None:
        program = next((found for found in map(shutil.which, _PROGRAM) if found), None)
        if program is None:
            raise FileNotFoundError("clickhouse-server is not installed; on Debian: apt-get install clickhouse-server")
        self.processes[at] = subprocess.Popen(
            [program, f"--config-file={self._base(at) / 'config.xml'}"], cwd=self._base(at), start_new_session=True,
            preexec_fn=end_with_us,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def wait_for(self, at: int) -> None:
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                with self.client(at) as client:
                    client.execute("SELECT 1")
                return
            except (DriverError, OSError, EOFError):
                running = self.processes[at]
                if running is not None and running.poll() is not None:
                    break
                time.sleep(0.1)
        raise TimeoutError(f"The shard in {self._base(at)} did not come up; its errors.log may say why.")

    def client(self, at: int = 0, database: str = "default") -> Client:
        """A connection to one shard that may write."""
        return Client("127.0.0.1", port=self.ports[at][0], user=self.user, password=self.password, database=database)

    def everywhere(self, *statements: str) -> None:
        """Say something to every shard."""
        for at in range(len(self.ports)):
            client = self.client(at)
            for statement in statements:
                client.execute(statement)
            client.disconnect()

    def stop_one(self, at: int) -> None:
        end(self.processes[at])
        self.processes[at] = None

    def stop(self) -> None:
        for at in range(len(self.processes)):
            self.stop_one(at)
