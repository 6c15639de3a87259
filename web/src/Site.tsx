import { Navigate, Route, Routes } from 'react-router';
import { useLiveChanges, useSession } from './api/queries';
import { Frame } from './parts/Frame';
import { Failing, Loading } from './parts/States';
import { Checks } from './screens/checks/Checks';
import { Conflicts } from './screens/conflicts/Conflicts';
import { Formulas } from './screens/formulas/Formulas';
import { Held } from './screens/held/Held';
import { LookUp } from './screens/lookup/LookUp';
import { LookAlikes } from './screens/lookalikes/LookAlikes';
import { Mirror } from './screens/mirror/Mirror';
import { Mirrors } from './screens/mirrors/Mirrors';
import { BringIn } from './screens/exchange/BringIn';
import { NewMirror } from './screens/newmirror/NewMirror';
import { RecordScreen } from './screens/record/RecordScreen';
import { Records } from './screens/records/Records';
import { RunScreen } from './screens/run/RunScreen';
import { Undo } from './screens/run/Undo';
import { Runs } from './screens/runs/Runs';
import { OwnPassword, Password } from './screens/settings/Password';
import { Settings } from './screens/settings/Settings';
import { SignIn } from './screens/signin/SignIn';
import { NewSystem } from './screens/system/NewSystem';
import { SystemScreen } from './screens/system/SystemScreen';
import { Systems } from './screens/systems/Systems';
import { Today } from './screens/today/Today';

export function Site() {
  const session = useSession();
  useLiveChanges(Boolean(session.data));
  if (session.isPending)
    return (
      <div className="p-8">
        <Loading what="who you are" />
      </div>
    );
  if (session.isError)
    return (
      <div className="p-8">
        <Failing error={session.error} retry={() => void session.refetch()} />
      </div>
    );
  if (!session.data) return <SignIn />;
  if (session.data.mustChange) return <OwnPassword />;
  return (
    <Routes>
      <Route element={<Frame session={session.data} />}>
        <Route index element={<Today session={session.data} />} />
        <Route path="records" element={<Records />} />
        <Route path="records/:link" element={<RecordScreen session={session.data} />} />
        <Route path="mirrors" element={<Mirrors session={session.data} />} />
        <Route path="mirrors/new" element={<NewMirror />} />
        <Route path="mirrors/file" element={<BringIn />} />
        <Route path="formulas" element={<Formulas />} />
        {session.data.role === 'administrator' && <Route path="mirrors/:key/look-up" element={<LookUp />} />}
        <Route path="mirrors/:key/checks" element={<Checks session={session.data} />} />
        <Route path="mirrors/:key/:step?" element={<Mirror session={session.data} />} />
        <Route path="systems" element={<Systems session={session.data} />} />
        <Route path="systems/new" element={<NewSystem />} />
        <Route path="systems/:key/:part?" element={<SystemScreen session={session.data} />} />
        <Route path="runs" element={<Runs />} />
        <Route path="runs/:id" element={<RunScreen session={session.data} />} />
        <Route path="runs/:id/undo" element={<Undo session={session.data} />} />
        <Route path="conflicts/:id?" element={<Conflicts session={session.data} />} />
        <Route path="look-alikes/:id?" element={<LookAlikes session={session.data} />} />
        <Route path="held" element={<Held session={session.data} />} />
        <Route path="password" element={<Password />} />
        {session.data.role === 'administrator' && <Route path="settings/:part?" element={<Settings />} />}
        <Route path="*" element={<Navigate to="/" replace />} />
      </Route>
    </Routes>
  );
}
