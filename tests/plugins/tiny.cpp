// A tiny plug-in for the tests: a gain, and a mishap on purpose (0 none, 0.5 never comes back, 1 crashes). Its state is both values.
// The headers' own namespace is called Format here (see the Makefile).
#include <atomic>
#include <cstdio>
#include <cstring>
#include <unistd.h>

#include "pluginterfaces/base/ibstream.h"
#include "pluginterfaces/base/ipluginbase.h"
#include "pluginterfaces/vst/ivstaudioprocessor.h"
#include "pluginterfaces/vst/ivstcomponent.h"
#include "pluginterfaces/vst/ivsteditcontroller.h"
#include "pluginterfaces/vst/ivstparameterchanges.h"

using namespace Format;
using namespace Format::Vst;

namespace {

const TUID tinyId = INLINE_UID(0x6F736B72, 0x656E0001, 0x74696E79, 0x67616964);

void wide(char16* to, int size, const char* from) {
    int i = 0;
    for (; from[i] && i < size - 1; ++i) to[i] = from[i];
    to[i] = 0;
}

class Tiny : public IComponent, public IAudioProcessor, public IEditController {
public:
    tresult PLUGIN_API queryInterface(const TUID iid, void** obj) override {
        if (FUnknownPrivate::iidEqual(iid, IAudioProcessor::iid)) *obj = static_cast<IAudioProcessor*>(this);
        else if (FUnknownPrivate::iidEqual(iid, IEditController::iid)) *obj = static_cast<IEditController*>(this);
        else if (FUnknownPrivate::iidEqual(iid, IComponent::iid) || FUnknownPrivate::iidEqual(iid, IPluginBase::iid) || FUnknownPrivate::iidEqual(iid, FUnknown::iid))
            *obj = static_cast<IComponent*>(this);
        else {
            *obj = nullptr;
            return kNoInterface;
        }
        addRef();
        return kResultOk;
    }
    uint32 PLUGIN_API addRef() override { return ++refs; }
    uint32 PLUGIN_API release() override {
        uint32 left = --refs;
        if (!left) delete this;
        return left;
    }

    tresult PLUGIN_API initialize(FUnknown*) override { return kResultOk; }
    tresult PLUGIN_API terminate() override { return kResultOk; }

    tresult PLUGIN_API getControllerClassId(TUID) override { return kNotImplemented; }
    tresult PLUGIN_API setIoMode(IoMode) override { return kNotImplemented; }
    int32 PLUGIN_API getBusCount(MediaType type, BusDirection) override { return type == kAudio ? 1 : 0; }
    tresult PLUGIN_API getBusInfo(MediaType type, BusDirection direction, int32 index, BusInfo& bus) override {
        if (type != kAudio || index != 0) return kInvalidArgument;
        bus.mediaType = kAudio;
        bus.direction = direction;
        bus.channelCount = 2;
        wide(bus.name, 128, direction == kInput ? "In" : "Out");
        bus.busType = kMain;
        bus.flags = BusInfo::kDefaultActive;
        return kResultOk;
    }
    tresult PLUGIN_API getRoutingInfo(RoutingInfo&, RoutingInfo&) override { return kNotImplemented; }
    tresult PLUGIN_API activateBus(MediaType, BusDirection, int32, TBool) override { return kResultOk; }
    tresult PLUGIN_API setActive(TBool) override { return kResultOk; }
    tresult PLUGIN_API setState(IBStream* state) override {
        double read[2];
        int32 got = 0;
        if (!state || state->read(read, sizeof read, &got) != kResultOk || got != sizeof read) return kResultFalse;
        std::memcpy(values, read, sizeof read);
        return kResultOk;
    }
    tresult PLUGIN_API getState(IBStream* state) override { return state->write(values, sizeof values, nullptr); }

    tresult PLUGIN_API setBusArrangements(SpeakerArrangement* in, int32 ins, SpeakerArrangement* out, int32 outs) override {
        return ins == 1 && outs == 1 && in[0] == SpeakerArr::kStereo && out[0] == SpeakerArr::kStereo ? kResultTrue : kResultFalse;
    }
    tresult PLUGIN_API getBusArrangement(BusDirection, int32 index, SpeakerArrangement& arrangement) override {
        arrangement = SpeakerArr::kStereo;
        return index == 0 ? kResultOk : kInvalidArgument;
    }
    tresult PLUGIN_API canProcessSampleSize(int32 size) override { return size == kSample32 ? kResultTrue : kResultFalse; }
    uint32 PLUGIN_API getLatencySamples() override { return 0; }
    tresult PLUGIN_API setupProcessing(ProcessSetup&) override { return kResultOk; }
    tresult PLUGIN_API setProcessing(TBool) override { return kResultOk; }
    uint32 PLUGIN_API getTailSamples() override { return 0; }
    tresult PLUGIN_API process(ProcessData& data) override {
        if (data.inputParameterChanges)
            for (int32 i = 0; i < data.inputParameterChanges->getParameterCount(); ++i) {
                auto* queue = data.inputParameterChanges->getParameterData(i);
                int32 offset;
                ParamValue value;
                if (queue && queue->getParameterId() < 2 && queue->getPointCount() > 0 && queue->getPoint(queue->getPointCount() - 1, offset, value) == kResultOk)
                    values[queue->getParameterId()] = value;
            }
        if (data.numSamples <= 0 || data.numInputs < 1 || data.numOutputs < 1) return kResultOk;
        if (values[1] > 0.9) *static_cast<volatile int*>(nullptr) = 1;
        while (values[1] > 0.4 && values[1] < 0.6) sleep(1);
        for (int32 lane = 0; lane < data.outputs[0].numChannels; ++lane)
            for (int32 i = 0; i < data.numSamples; ++i)
                data.outputs[0].channelBuffers32[lane][i] = static_cast<float>(2 * values[0]) * data.inputs[0].channelBuffers32[lane][i];
        return kResultOk;
    }

    tresult PLUGIN_API setComponentState(IBStream* state) override { return setState(state); }
    int32 PLUGIN_API getParameterCount() override { return 2; }
    tresult PLUGIN_API getParameterInfo(int32 index, ParameterInfo& info) override {
        if (index < 0 || index > 1) return kInvalidArgument;
        std::memset(&info, 0, sizeof info);
        info.id = index;
        wide(info.title, 128, index ? "Mishap" : "Gain");
        wide(info.shortTitle, 128, index ? "Mishap" : "Gain");
        info.defaultNormalizedValue = index ? 0.0 : 0.5;
        info.flags = ParameterInfo::kCanAutomate;
        return kResultOk;
    }
    tresult PLUGIN_API getParamStringByValue(ParamID, ParamValue value, String128 text) override {
        char written[32];
        std::snprintf(written, sizeof written, "%.4f", value);
        wide(text, 128, written);
        return kResultOk;
    }
    tresult PLUGIN_API getParamValueByString(ParamID, TChar*, ParamValue&) override { return kNotImplemented; }
    ParamValue PLUGIN_API normalizedParamToPlain(ParamID, ParamValue value) override { return value; }
    ParamValue PLUGIN_API plainParamToNormalized(ParamID, ParamValue value) override { return value; }
    ParamValue PLUGIN_API getParamNormalized(ParamID id) override { return id < 2 ? values[id] : 0; }
    tresult PLUGIN_API setParamNormalized(ParamID id, ParamValue value) override {
        if (id >= 2) return kInvalidArgument;
        values[id] = value;
        return kResultOk;
    }
    tresult PLUGIN_API setComponentHandler(IComponentHandler*) override { return kResultOk; }
    IPlugView* PLUGIN_API createView(FIDString) override { return nullptr; }

private:
    virtual ~Tiny() = default;
    std::atomic<uint32> refs{1};
    double values[2] = {0.5, 0.0};
};

class Factory : public IPluginFactory {
public:
    tresult PLUGIN_API queryInterface(const TUID iid, void** obj) override {
        bool mine = FUnknownPrivate::iidEqual(iid, IPluginFactory::iid) || FUnknownPrivate::iidEqual(iid, FUnknown::iid);
        *obj = mine ? this : nullptr;
        return mine ? kResultOk : kNoInterface;
    }
    uint32 PLUGIN_API addRef() override { return 1; }
    uint32 PLUGIN_API release() override { return 1; }
    tresult PLUGIN_API getFactoryInfo(PFactoryInfo* info) override {
        *info = PFactoryInfo("Saltglass Observatory", "", "", PFactoryInfo::kUnicode);
        return kResultOk;
    }
    int32 PLUGIN_API countClasses() override { return 1; }
    tresult PLUGIN_API getClassInfo(int32 index, PClassInfo* info) override {
        if (index != 0) return kInvalidArgument;
        *info = PClassInfo(tinyId, PClassInfo::kManyInstances, kVstAudioEffectClass, "Tiny gain");
        return kResultOk;
    }
    tresult PLUGIN_API createInstance(FIDString id, FIDString iid, void** obj) override {
        *obj = nullptr;
        if (!FUnknownPrivate::iidEqual(id, tinyId)) return kInvalidArgument;
        auto* made = new Tiny;
        tresult result = made->queryInterface(iid, obj);
        made->release();
        return result;
    }
};

}  // namespace

extern "C" {
SMTG_EXPORT_SYMBOL bool ModuleEntry(void*) { return true; }
SMTG_EXPORT_SYMBOL bool ModuleExit() { return true; }
SMTG_EXPORT_SYMBOL IPluginFactory* PLUGIN_API GetPluginFactory() {
    static Factory factory;
    return &factory;
}
}
