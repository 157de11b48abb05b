/** Networks, addresses, ports, what is open to outside, applications with their paths, default logins. */

import { usePlan } from '../../api/plan';
import { ItemList } from '../../parts/ItemList';

export function Addresses() {
  const { plan, evaluation } = usePlan();
  const hosts = new Map(plan.hosts.map((h) => [h.id, h.name]));
  const sites = new Map(plan.sites.map((s) => [s.id, s.name]));
  const data = new Map(plan.datasets.map((d) => [d.id, d.name]));
  const apps = new Map(plan.apps.map((a) => [a.id, a.name]));
  const logins = new Map(plan.accounts.map((a) => [a.id, a.login]));
  return (
    <div className="grid gap-x-8 xl:grid-cols-2">
      <div>
        <ItemList
          title="Networks"
          what="network"
          collection="networks"
          items={plan.networks}
          disabled={!plan.sites.length}
          empty="Name the subnet of each site and its DHCP range: static addresses belong outside it."
          columns={[
            { head: 'Network', show: (n) => n.name },
            { head: 'Site', show: (n) => sites.get(n.site) },
            { head: 'Range', show: (n) => <span className="figure">{n.range}</span> },
            {
              head: 'DHCP gives',
              show: (n) =>
                n.dhcp_from ? <span className="figure">{`${n.dhcp_from} to ${n.dhcp_to ?? ''}`}</span> : 'nothing',
            },
          ]}
        />
        <section aria-label="Hosts and ports" className="mb-4">
          <h2 className="border-b border-ink">What listens where</h2>
          {!plan.hosts.length && <p className="text-quiet">Nothing yet: hosts stand on the Bench.</p>}
          <table className="w-full" hidden={!plan.hosts.length}>
            <thead>
              <tr>
                <th>Host</th>
                <th>Address</th>
                <th className="text-right">Port</th>
                <th className="pl-4">What</th>
                <th>Let in from</th>
              </tr>
            </thead>
            <tbody>
              {plan.hosts.flatMap((h) => {
                const mine = evaluation.listeners.filter((l) => l.host === h.id);
                const address = [h.address ?? h.addressing, h.vpn_address && `VPN ${h.vpn_address}`]
                  .filter(Boolean)
                  .join(', ');
                return (mine.length ? mine : [null]).map((l, n) => (
                  <tr key={`${h.id}-${n}`} className="border-b border-hair align-baseline">
                    <td>{n === 0 && <b>{h.name}</b>}</td>
                    <td className="figure">{n === 0 && address}</td>
                    <td className="figure text-right">{l?.port}</td>
                    <td className="pl-4">{l ? l.what : <span className="text-quiet">nothing</span>}</td>
                    <td className="figure">
                      {l && ((l.from_clients.length ? l.from_clients : l.from_networks).join(', ') || 'private ranges')}
                    </td>
                  </tr>
                ));
              })}
            </tbody>
          </table>
        </section>
        <ItemList
          title="Open to outside"
          what="opening"
          collection="openings"
          items={plan.openings}
          disabled={!plan.hosts.length}
          empty="Nothing is open to outside: keep it so, and use a VPN."
          columns={[
            { head: 'For', show: (o) => o.purpose },
            { head: 'Host', show: (o) => hosts.get(o.host) },
            { head: 'Port', right: true, show: (o) => `${o.port}/${o.transport}` },
            {
              head: 'From',
              show: (o) => (o.source === 'internet' ? <b className="text-danger">the internet</b> : 'the VPN'),
            },
          ]}
        />
      </div>
      <div>
        <ItemList
          title="Applications, containers and machines"
          what="application"
          collection="apps"
          items={plan.apps}
          disabled={!plan.hosts.length}
          empty="None yet: each takes paths, and a missing one shows up as an empty library."
          columns={[
            { head: 'Name', show: (a) => a.name },
            { head: 'Runs on', show: (a) => hosts.get(a.host) },
            { head: 'As', show: (a) => (a.account ? logins.get(a.account) : <b>root</b>) },
            { head: 'Ports', right: true, show: (a) => a.ports.join(', ') },
          ]}
        />
        <ItemList
          title="Paths that they see"
          what="path"
          collection="mounts"
          items={plan.mounts}
          disabled={!plan.apps.length || !plan.datasets.length}
          empty="No application sees a dataset yet."
          columns={[
            { head: 'Application', show: (m) => apps.get(m.app) },
            { head: 'Sees', show: (m) => data.get(m.dataset) },
            { head: 'At', show: (m) => <span className="figure">{m.inside}</span> },
            { head: 'Right', show: (m) => (m.may === 'write' ? 'read and write' : 'read') },
          ]}
        />
        <ItemList
          title="Default accounts to change"
          what="default account"
          collection="default_logins"
          items={plan.default_logins}
          disabled={!plan.hosts.length}
          empty="List what each box came with: web, root shell and file service often have three different passwords."
          columns={[
            { head: 'Account', show: (l) => l.login },
            { head: 'Host', show: (l) => hosts.get(l.host) },
            { head: 'Of', show: (l) => l.service },
            {
              head: 'State',
              show: (l) =>
                l.off ? (
                  'switched off'
                ) : l.changed_on ? (
                  `changed ${l.changed_on}`
                ) : (
                  <b className="text-danger">as it came</b>
                ),
            },
          ]}
        />
      </div>
    </div>
  );
}
