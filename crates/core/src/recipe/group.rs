//! Groups: passes that came together, under one name, with one amount.

use crate::base::field_error::FieldError;
use crate::base::units::Percent;
use crate::recipe::{Pass, Recipe};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// Names a group within its recipe; the odds of what cannot be had in part hang on it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct GroupId(pub u32);

/// Passes under one name. They stand one behind the other, and name their group.
///
/// Its amount says how far velocities, times, movement and lanes go from what came in to what the passes make of it; above
/// 100 % they go further. Below 100 % hits are made, silenced, called back and put on other strokes with these odds, by
/// stable dice. At 0 % nothing changes; at 100 % it is what the passes do, to the bit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Group {
    /// Unique within the recipe.
    pub id: GroupId,
    /// What people call it.
    pub name: String,
    /// A group that is switched off equals one that is removed.
    #[serde(default = "yes")]
    pub on: bool,
    /// 0 to 150 %.
    #[serde(default = "whole")]
    pub amount: Percent,
}

fn yes() -> bool {
    true
}

fn whole() -> Percent {
    Group::WHOLE
}

impl Group {
    /// The amount at which its passes do what they do.
    pub const WHOLE: Percent = Percent(100.0);
    /// The greatest amount.
    pub const MOST: Percent = Percent(150.0);

    /// A group that is on, as a whole.
    pub fn new(id: GroupId, name: impl Into<String>) -> Group {
        Group { id, name: name.into(), on: true, amount: Group::WHOLE }
    }

    fn check(&self) -> Result<(), (&'static str, String)> {
        if self.name.chars().count() > 200 {
            return Err(("name", "a name has at most 200 letters".to_owned()));
        }
        if !(0.0..=Group::MOST.0).contains(&self.amount.0) {
            return Err(("amount", format!("{} is outside 0 to {} %", self.amount.0, Group::MOST.0)));
        }
        Ok(())
    }
}

impl Recipe {
    /// The group of that id.
    pub fn group(&self, id: GroupId) -> Option<&Group> {
        self.groups.iter().find(|group| group.id == id)
    }

    /// The group that a pass is in.
    pub fn group_of(&self, pass: &Pass) -> Option<&Group> {
        self.group(pass.group?)
    }

    /// Whether a pass is done: it is on, and so is its group.
    pub fn is_on(&self, pass: &Pass) -> bool {
        pass.on && self.group_of(pass).is_none_or(|group| group.on)
    }

    /// The passes that are done.
    pub fn playing(&self) -> impl Iterator<Item = &Pass> {
        self.passes.iter().filter(|pass| self.is_on(pass))
    }

    /// An id that no group has yet.
    pub fn free_group(&self) -> GroupId {
        let used: BTreeSet<u32> = self.groups.iter().map(|group| group.id.0).collect();
        GroupId((1..).find(|id| !used.contains(id)).expect("a recipe has fewer groups than there are ids"))
    }

    /// The groups of this recipe and another one, and the other's passes in them: a group is one for both where `same`
    /// says so of two of one id; otherwise it has an id of its own.
    pub(crate) fn groups_beside(
        &self,
        other: &Recipe,
        same: impl Fn(&Group, &Group) -> bool,
    ) -> (Vec<Group>, Vec<Pass>) {
        let mut both = Recipe { passes: Vec::new(), groups: self.groups.clone() };
        let mut renamed = BTreeMap::new();
        for group in &other.groups {
            let own = self.group(group.id);
            if own.is_some_and(|own| same(own, group)) {
                renamed.insert(group.id, group.id);
                continue;
            }
            let id = if both.group(group.id).is_none() { group.id } else { both.free_group() };
            renamed.insert(group.id, id);
            both.groups.push(Group { id, ..group.clone() });
        }
        let named = |pass: &Pass| pass.group.and_then(|id| renamed.get(&id).copied());
        let passes = other.passes.iter().map(|pass| Pass { group: named(pass), ..pass.clone() }).collect();
        (both.groups, passes)
    }

    /// With groups that hold together: a pass that stands apart from its group leaves it, and a group without passes goes.
    pub fn tidied(mut self) -> Recipe {
        let known: BTreeSet<GroupId> = self.groups.iter().map(|group| group.id).collect();
        let mut ended = BTreeSet::new();
        let mut current = None;
        for pass in &mut self.passes {
            pass.group = pass.group.filter(|id| known.contains(id) && !ended.contains(id));
            if pass.group != current {
                ended.extend(current);
                current = pass.group;
            }
        }
        let held: BTreeSet<GroupId> = self.passes.iter().filter_map(|pass| pass.group).collect();
        self.groups.retain(|group| held.contains(&group.id));
        self
    }

    pub(super) fn check_groups(&self) -> Result<(), FieldError> {
        let mut known = BTreeSet::new();
        for (index, group) in self.groups.iter().enumerate() {
            let at = |field: &str| format!("groups[{index}].{field}");
            if !known.insert(group.id) {
                return Err(FieldError::new(at("id"), format!("{} is the id of an earlier group", group.id.0)));
            }
            group.check().map_err(|(field, message)| FieldError::new(at(field), message))?;
        }
        let (mut ended, mut current) = (BTreeSet::new(), None);
        for (index, pass) in self.passes.iter().enumerate() {
            if pass.group != current {
                ended.extend(current);
                current = pass.group;
            }
            let Some(group) = pass.group else { continue };
            let at = || format!("passes[{index}].group");
            if !known.contains(&group) {
                return Err(FieldError::new(at(), format!("there is no group {}", group.0)));
            }
            if ended.contains(&group) {
                let message = format!("the passes of group {} do not stand one behind the other", group.0);
                return Err(FieldError::new(at(), message));
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::recipe::action::{Action, Level};
    use crate::recipe::aim::Aim;
    use serde_json::{Value, json};

    fn pass(id: u32, group: Option<u32>) -> Pass {
        let level = Action::Level(Level { by: 1.0 });
        Pass { group: group.map(GroupId), ..Pass::new(id, Aim::everything(), level) }
    }

    #[test]
    fn what_stands_apart_leaves_its_group() {
        let groups = vec![Group::new(GroupId(1), "a"), Group::new(GroupId(2), "b"), Group::new(GroupId(3), "c")];
        let passes = vec![
            pass(1, Some(1)),
            pass(2, Some(1)),
            pass(3, None),
            pass(4, Some(1)),
            pass(5, Some(2)),
            pass(6, Some(9)),
            pass(7, Some(2)),
        ];
        let tidied = Recipe { passes, groups }.tidied();
        let kept: Vec<Option<u32>> = tidied.passes.iter().map(|pass| pass.group.map(|id| id.0)).collect();
        assert_eq!(kept, [Some(1), Some(1), None, None, Some(2), None, None]);
        assert_eq!(tidied.groups.iter().map(|group| group.id.0).collect::<Vec<_>>(), [1, 2]);
        assert_eq!(tidied.check(), Ok(()));
    }

    #[test]
    fn a_group_of_another_recipe_is_the_same_one_only_where_it_is_equal() {
        let recipe = |amount: f64| Recipe {
            passes: vec![pass(1, Some(1))],
            groups: vec![Group { amount: Percent(amount), ..Group::new(GroupId(1), "a") }],
        };
        let beside = |amount: f64| {
            let (groups, passes) = recipe(50.0).groups_beside(&recipe(amount), |own, other| own == other);
            (groups.len(), passes[0].group)
        };
        assert_eq!(beside(50.0), (1, Some(GroupId(1))));
        assert_eq!(beside(80.0), (2, Some(GroupId(2))));
        let twice = recipe(50.0).followed_by(&recipe(50.0));
        assert_eq!((twice.groups.len(), twice.check()), (2, Ok(())));
    }

    #[test]
    fn errors_of_groups_name_the_field() {
        let level = json!({"kind": "level", "by": 3});
        let path = |passes: Value, groups: Value| {
            Recipe::from_value(json!({"passes": passes, "groups": groups})).unwrap_err().path
        };
        let one = |group: u32| json!([{"id": 1, "group": group, "action": level}]);
        assert_eq!(path(one(2), json!([{"id": 1, "name": "a"}])), "passes[0].group");
        assert_eq!(path(one(1), json!([{"id": 1, "name": "a", "amount": 151}])), "groups[0].amount");
        assert_eq!(path(one(1), json!([{"id": 1, "name": "a"}, {"id": 1, "name": "b"}])), "groups[1].id");
        let apart = json!([{"id": 1, "group": 1, "action": level}, {"id": 2, "action": level},
            {"id": 3, "group": 1, "action": level}]);
        assert_eq!(path(apart, json!([{"id": 1, "name": "a"}])), "passes[2].group");
    }
}
