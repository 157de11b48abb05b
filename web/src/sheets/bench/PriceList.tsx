/** The price list: what can be bought, for the finder, for growth and for the cheapest plan. */

import type { Items } from '../../api/client';
import { usePlan } from '../../api/plan';
import { decimal, money, text } from '../../text/format';

export function PriceList({ onAdd, onOpen }: { onAdd: () => void; onOpen: (offer: Items['offers']) => void }) {
  const { plan } = usePlan();
  return (
    <section aria-label="Price list" className="mt-4">
      <div className="flex items-baseline border-b border-ink">
        <h2>Price list</h2>
        <button className="act mb-0.5 ml-auto" onClick={onAdd}>
          new offer
        </button>
      </div>
      {plan.offers.length === 0 ? (
        <p className="text-quiet">
          Nothing yet: enter what disks cost where you buy, and Pools says what to buy, when, and what growth costs.
        </p>
      ) : (
        <table className="w-full">
          <thead>
            <tr className="border-b border-ink">
              <th>Offer</th>
              <th className="text-right">Sold as</th>
              <th className="pl-4">Kind</th>
              <th>Condition</th>
              <th className="text-right">Speed</th>
              <th className="text-right">To be had</th>
              <th className="text-right">Price</th>
              <th className="text-right">A TB</th>
            </tr>
          </thead>
          <tbody>
            {plan.offers.map((o) => (
              <tr key={o.id} className="border-b border-hair hover:bg-desk">
                <td>
                  <button className="pick font-semibold wrap-anywhere" onClick={() => onOpen(o)}>
                    {o.label}
                  </button>
                </td>
                <td className="figure text-right">{text(decimal(o.capacity_bytes))}</td>
                <td className="pl-4">
                  {{ hdd: 'hard disk', ssd: 'SSD', nvme: 'NVMe' }[o.kind]}
                  {o.recording === 'smr' && ', shingled'}
                </td>
                <td>{o.condition}</td>
                <td className="figure text-right">{o.mb_per_s} MB/s</td>
                <td className="figure text-right">{o.at_most}</td>
                <td className="figure text-right">{text(money(o.price_minor, plan.currency))}</td>
                <td className="figure text-right">
                  {text(money(Math.round((o.price_minor * 1e12) / o.capacity_bytes), plan.currency))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
