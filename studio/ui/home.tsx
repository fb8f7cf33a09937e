import Link from 'next/link';
import type { ModelCard } from '../db/repository.ts';
import { CardTools, HomeActions } from './home-actions.tsx';
import { Mark } from './mark.tsx';

/** All models as cards. Made on the server; what can be done with them is loaded when it is asked for. */
export function Home({ models }: { models: ModelCard[] }) {
  const demo = models.filter((m) => m.demo);
  const own = models.filter((m) => !m.demo);
  return (
    <main className="home">
      <div className="home-head">
        <Mark size={34} />
        <h1>Ample Skin</h1>
        <Link href="/jobs" prefetch={false} className="btn" style={{ marginLeft: 'auto' }}>
          Jobs
        </Link>
      </div>
      <p className="home-lead">
        Curves become skins, skins are knitted, every seam is measured, and a closed skin becomes a solid that can be made.
      </p>
      <HomeActions />
      {own.length > 0 && <h2>Your models</h2>}
      <div className="cards">
        {own.map((m) => (
          <Card key={m.id} m={m} />
        ))}
      </div>
      {demo.length > 0 && <h2>Demo models of Fernhollow Works</h2>}
      <div className="cards">
        {demo.map((m) => (
          <Card key={m.id} m={m} />
        ))}
      </div>
      {models.length === 0 && <p className="soft">Nothing here yet. Make a new model, or drop a STEP file on this page.</p>}
    </main>
  );
}

function Card({ m }: { m: ModelCard }) {
  return (
    <div className="card">
      <Link href={`/model/${m.id}`} prefetch={false}>
        <div className="card-picture">
          {m.hasPicture ? <img src={`/api/models/${m.id}/picture?r=${m.revision}`} alt="" /> : <Mark size={44} />}
        </div>
        <div className="card-body">
          <div className="card-title">{m.name}</div>
          <div className="card-facts">
            <span>{m.steps === 1 ? '1 step' : `${m.steps} steps`}</span>
            {m.summary.pieces ? <span>{m.summary.pieces === 1 ? '1 piece' : `${m.summary.pieces} pieces`}</span> : null}
            {m.summary.state ? <span className={m.summary.state === 'watertight' ? 'met' : 'fail'}>{m.summary.state}</span> : null}
            {m.summary.seams ? <span>{m.summary.seams}</span> : null}
          </div>
        </div>
      </Link>
      <CardTools id={m.id} name={m.name} />
    </div>
  );
}
