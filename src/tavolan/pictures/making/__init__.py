"""From a project to its pictures: jobs, what is current, who paints, what was made."""
