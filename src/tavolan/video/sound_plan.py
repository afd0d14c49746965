"""Plan the sound of a video: which files sound when, and how loud."""

from pathlib import Path

from tavolan.errors import Problem, ProjectError
from tavolan.pictures.making.ledger import Ledger
from tavolan.project.model import Project, Source
from tavolan.project.video_schema import SceneTable, VideoFile
from tavolan.video.clips import sound_seconds
from tavolan.video.plan import SoundPlan, Track, VideoJob
from tavolan.video.storyboard import WHOLE, voice_files


class SoundPlanner:
    """Plans sounds; collects problems in `problems`."""

    def __init__(
        self, project: Project, video: VideoFile, source: Source, ledger: Ledger, problems: list[Problem]
    ) -> None:
        self.project, self.video, self.source = project, video, source
        self.ledger, self.problems = ledger, problems
        self._seconds: dict[Path, float] = {}

    def plan(self, job: VideoJob, tables: dict[str, SceneTable]) -> SoundPlan | None:
        """Return the sound of a video; None when nothing sounds."""
        rules = self.video.sound
        if rules.off:
            return None
        tracks = [*self._clip_sounds(job, tables), *self._voices(job, tables), *self._music(job)]
        if not tracks:
            return None
        return SoundPlan(tuple(tracks), rules.duck, rules.loudness, rules.peak, rules.fade_in, rules.fade_out)

    def _clip_sounds(self, job: VideoJob, tables: dict[str, SceneTable]) -> list[Track]:
        tracks = []
        for number, (scene, start) in enumerate(zip(job.scenes, job.starts, strict=True)):
            if not tables[scene.name].sound or scene.clip is None:
                continue
            if scene.clip.speed != 1:
                message = "keeps the clip's sound, but not its speed: it would sound higher or lower"
                remedy = "Leave the speed at 1, or the sound out."
                self._problem(("scene", number, "sound"), f"scene.{scene.name}", message, remedy)
                continue
            if self._length(self.project.root / scene.clip.path, scene.clip.path) is None:
                continue
            at = start / job.rate
            for begin, end in scene.clip.pieces:
                level = self.video.sound.clip_level
                tracks.append(Track("clip", scene.clip.path, scene.clip.digest, at, begin, end - begin, level))
                at += end - begin
        return tracks

    def _voices(self, job: VideoJob, tables: dict[str, SceneTable]) -> list[Track]:
        rules, tracks = self.video.sound, []
        starts = {scene.name: start / job.rate for scene, start in zip(job.scenes, job.starts, strict=True)}
        for name, path in voice_files(self.project, job.target.locale).items():
            shown = path.relative_to(self.project.root).as_posix()
            if name not in starts and name in tables:
                # Of a scene that can't be used, which was said.
                continue
            if name not in starts and name != WHOLE:
                self._note(
                    Problem(
                        shown,
                        None,
                        "",
                        "is named like no scene of video.toml",
                        f'Name it like one, or "{WHOLE}" when it begins with the video.',
                    )
                )
                continue
            start = starts.get(name, 0.0) + rules.voice_delay
            length = self._length(path, shown)
            if length is None:
                continue
            if start + length > job.seconds + 0.05 and len(starts) == len(tables):
                message = f"is {length:.1f} s long and begins at {start:.1f} s of a video of {job.seconds:.1f} s"
                self._note(Problem(shown, None, "", message, "Speak faster, or make the video longer."))
            tracks.append(Track("voice", shown, self.ledger.digest(shown), start, 0.0, length, rules.voice_level))
        return tracks

    def _music(self, job: VideoJob) -> list[Track]:
        rules = self.video.sound
        if not rules.music:
            return []
        length = self._length(self.project.root / rules.music, rules.music)
        if length is None:
            return []
        if length <= rules.music_start:
            self._problem(
                ("sound", "music_start"),
                "sound.music_start",
                f"{rules.music} is only {length:.1f} s long",
                "Begin earlier.",
            )
            return []
        digest = self.ledger.digest(rules.music)
        return [Track("music", rules.music, digest, 0.0, rules.music_start, job.seconds, rules.music_level)]

    def _length(self, path: Path, shown: str) -> float | None:
        """Return how long a sound is; None, with its problem noted, for what's none."""
        if path not in self._seconds:
            try:
                self._seconds[path] = sound_seconds(path, shown)
            except ProjectError as error:
                for problem in error.problems:
                    self._note(problem)
                return None
        return self._seconds[path]

    def _problem(self, key: tuple[str | int, ...], where: str, message: str, remedy: str) -> None:
        self._note(Problem(self.source.shown, self.source.line(key), where, message, remedy))

    def _note(self, problem: Problem) -> None:
        if problem not in self.problems:
            self.problems.append(problem)
