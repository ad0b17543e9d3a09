using Weiche.Core.Studios;

namespace Weiche.Web.Pages.Plan;

/// <summary>A button of the strip that switches something of the chosen route.</summary>
/// <param name="Handler">What it does, as the page's handler is called.</param>
/// <param name="Route">The route.</param>
/// <param name="Text">What stands on it.</param>
/// <param name="On">Whether it is so now.</param>
/// <param name="Title">What it does, in a sentence.</param>
public sealed record RouteButton(string Handler, RouteId Route, string Text, bool On, string Title);

/// <summary>A button of a stage's drawer.</summary>
/// <param name="Handler">What it does, as the handler of the stages is called.</param>
/// <param name="Route">The stage's route.</param>
/// <param name="Stage">Which of its stages, from 0.</param>
/// <param name="Text">What stands on it, or what its sign means.</param>
/// <param name="Values">What is sent with it besides.</param>
public sealed record StageButton(string Handler, RouteId Route, int Stage, string Text, params (string Name, string Value)[] Values);
