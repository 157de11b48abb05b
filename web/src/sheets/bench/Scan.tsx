/** The disk in the hand: its tray label is read by the camera, or its serial typed. */

import { useEffect, useRef, useState } from 'react';
import type { Items } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Labelled } from '../../parts/Labelled';
import { Slip } from '../../parts/Slip';

type Disk = Items['disks'];
const LOOK_MS = 150;

/** The disk that a label's code or a typed serial is of; undefined where the plan has none. */
export function diskOf(disks: readonly Disk[], text: string): Disk | undefined {
  const said = text.trim();
  const id = /[?&]disk=([^&#]+)/.exec(said)?.[1];
  const wanted = said.toLowerCase();
  return (
    disks.find((d) => id !== undefined && d.id === decodeURIComponent(id)) ??
    disks.find((d) => wanted !== '' && [d.serial, d.label].some((x) => x.toLowerCase() === wanted))
  );
}

export function Scan({ onFound, onClose }: { onFound: (disk: Disk) => void; onClose: () => void }) {
  const { plan } = usePlan();
  const video = useRef<HTMLVideoElement>(null);
  const [typed, setTyped] = useState('');
  const [said, setSaid] = useState('');
  const found = useRef(onFound);
  const disks = useRef(plan.disks);
  useEffect(() => {
    found.current = onFound;
    disks.current = plan.disks;
  });
  useEffect(() => {
    let stream: MediaStream | undefined;
    let timer = 0;
    let over = false;
    const look = async () => {
      // Insecure pages have no camera at all.
      const camera = (navigator as { mediaDevices?: MediaDevices }).mediaDevices;
      if (!camera) {
        setSaid('No camera here: a browser gives it to pages over TLS only. Type the serial.');
        return;
      }
      try {
        const [{ default: read }, opened] = await Promise.all([
          import('jsqr'),
          camera.getUserMedia({ video: { facingMode: 'environment' } }),
        ]);
        stream = opened;
        const seen = video.current;
        if (over || !seen) return;
        seen.srcObject = opened;
        await seen.play();
        const canvas = document.createElement('canvas');
        const pen = canvas.getContext('2d', { willReadFrequently: true });
        timer = window.setInterval(() => {
          if (!pen || !seen.videoWidth) return;
          [canvas.width, canvas.height] = [seen.videoWidth, seen.videoHeight];
          pen.drawImage(seen, 0, 0);
          const frame = pen.getImageData(0, 0, canvas.width, canvas.height);
          const code = read(frame.data, frame.width, frame.height);
          if (!code?.data) return;
          const disk = diskOf(disks.current, code.data);
          if (disk) found.current(disk);
          else setSaid(`This code is of no disk of the plan: ${code.data.slice(0, 80)}`);
        }, LOOK_MS);
      } catch {
        setSaid('The camera was not given. Type the serial.');
      }
    };
    void look();
    return () => {
      over = true;
      window.clearInterval(timer);
      stream?.getTracks().forEach((t) => t.stop());
    };
  }, []);
  return (
    <Slip title="Which disk is this?" onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          const disk = diskOf(plan.disks, typed);
          if (disk) onFound(disk);
          else setSaid('No disk of the plan has this serial or name.');
        }}
      >
        <Labelled label="Serial or name" autoComplete="off" value={typed} onChange={(e) => setTyped(e.target.value)} />
        <button className="act self-start font-semibold">open</button>
        {said && <p role="status">{said}</p>}
        <p className="text-quiet">
          Or hold the code of its tray label before the camera. Pictures stay on this device.
        </p>
        <video ref={video} muted playsInline className="w-full border border-line bg-desk" aria-label="camera" />
      </form>
    </Slip>
  );
}
